import type { Workspace } from '../Workspace.ts';
import { useComputedColorScheme } from '@mantine/core';
import { useElementSize } from '@mantine/hooks';
import { useEffect, useRef, useState } from 'react';
import { STRIP_STEPS } from '../../scene/BendStrip.ts';
import { useEvent } from '../../document/useEvent.ts';
import { StagePointer } from './StagePointer.ts';
import type { CameraPlace } from '../../scene/StageCamera.ts';
import { giveStageCanvasBack, takeStageCanvas } from '../../scene/stageCanvas.ts';
import { StageView, type Box } from '../../scene/StageView.ts';
import {
  radiusSet,
  settingsChanged,
  strengthSet,
  type Beside,
  type Tool,
} from '../../settings/uiSettings.ts';
import { store, useUiSettings } from '../../settings/store.ts';
import { DAY, NIGHT } from '../../ui/theme/tokens.ts';
import { CommentPins } from '../../features/comments/CommentPins.tsx';
import { Legend } from './Legend.tsx';
import { Loupe } from './Loupe.tsx';
import { StageLooks } from './StageLooks.tsx';
import { PointRings } from '../../features/select/PointRings.tsx';
import { modelSize } from '../../scene/modelSize.ts';
import { stageKeys } from '../../scene/stageActions.ts';
import type { Step } from '../stages.ts';
import { TroubleCard } from './TroubleCard.tsx';
import { Timeline, TIMELINE_PX } from '../../features/clips/Timeline.tsx';
import { comparedName } from '../../features/compare/Comparing.ts';
import { Pointing } from './Pointing.ts';
import { Strip, STRIP_BAR_PX, useMoves, useStripPictures } from './Strip.tsx';
import { StageHint } from './StageHint.tsx';
import './stage.css';

/** Tools that are at work on what stands at rest. */
const RESTING: readonly Tool[] = ['reach', 'grow', 'outline'];

const GAP_PX = 8;

/** Where the camera looked before the stage was drawn anew, by night for instance. */
const looked = new WeakMap<Workspace, CameraPlace & { readonly up: string }>();

/** How often the surface is subdivided for the eye. */
const SMOOTH_LEVELS = { off: 0, once: 1, twice: 2 } as const;

/** The stage and the bend strip: one canvas under both, with what is read and clicked laid over it. */
export function Stage({ at, step }: { at: Workspace; step: Step }) {
  const { ref, width, height } = useElementSize();
  const host = useRef<HTMLSpanElement>(null);
  const scheme = useComputedColorScheme('light');
  const [view, setView] = useState<StageView>();
  useEvent(at.document.events, 'values');
  const up = at.document.settings.up;
  const [pointing] = useState(() => new Pointing());
  const ui = useUiSettings(
    'beside',
    'edges',
    'ghosts',
    'goesAlong',
    'ground',
    'handles',
    'seeThrough',
    'showJoints',
    'straight',
    'stripAxis',
    'stripSource',
    'stripStep',
    'tool',
    'smooth',
    'view',
  );
  useEvent(at.scene.events, 'joint');
  useEvent(at.clips.events, 'clip');

  useEffect(() => {
    if (!host.current) return undefined;
    const canvas = takeStageCanvas();
    host.current.append(canvas.canvas);
    const tokens = scheme === 'dark' ? NIGHT : DAY;
    const before = looked.get(at) ?? (at.cameFrom && looked.get(at.cameFrom));
    at.cameFrom = undefined;
    const made = new StageView(canvas, at, tokens, before?.up === up ? before : undefined);
    const pointer = new StagePointer(made, at, {
      settings: () => store.getState().ui,
      radius: () => store.getState().ui.radius * modelSize(at),
      hover: (hover) => {
        pointing.set({ hover });
        made.showHolders(hover?.hit);
        if (hover) at.historyList.pointAt(hover.hit.part.index, hover.hit.corners);
      },
      saying: (said) => pointing.set({ said }),
      picked: (value) => store.dispatch(settingsChanged({ value })),
      sizing: (dx, dy) => {
        const { radius, strength } = store.getState().ui;
        store.dispatch(radiusSet(radius * 1.008 ** dx));
        store.dispatch(strengthSet(strength - dy * 0.003));
      },
    });
    const release = stageKeys({
      frameAll: () => made.frameAll(),
      frameJoint: () => made.frameJoint(),
      frameSelection: () => made.frameSelection(),
      look: (from) => made.look(from),
      sizing: (held) => (pointer.sizing = held),
      picture: () => made.picture(),
    });
    setView(made);
    return () => {
      looked.set(at, { ...made.cameraPlace, up });
      release();
      pointer.dispose();
      made.dispose();
      giveStageCanvasBack(canvas);
      setView(undefined);
    };
  }, [at, scheme, pointing, up]);

  const withTimeline = step === 'trial' && at.clips.current !== undefined && height > 320;
  const pictures = useStripPictures(at);
  // Its place is kept while there is nothing in it, so that choosing a joint moves nothing on the page.
  const withStrip = !withTimeline && height > 320;
  const moves = useMoves(at);
  const isSplit = step === 'trial' && ui.beside !== 'none';
  const boxes = layBoxes(width, height, {
    strip: withStrip,
    pictures: withStrip && moves ? pictures.length : 0,
    timeline: withTimeline,
    split: isSplit,
  });
  useEffect(() => {
    if (view && width > 0) view.layOut(width, height, boxes.stage, boxes.cells, boxes.beside);
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the boxes follow from these
  }, [view, width, height, withStrip, moves, withTimeline, isSplit, pictures.length]);
  useEffect(() => view?.setBeside(isSplit ? ui.beside : 'none'), [view, isSplit, ui.beside]);
  useEffect(() => {
    if (ui.stripSource === 'axis') at.scene.strip.setBend(ui.stripAxis, ui.stripStep);
    else at.scene.strip.setPictures(pictures);
    view?.stripChanged();
  }, [view, at, ui.stripSource, ui.stripAxis, ui.stripStep, pictures]);
  useEffect(() => view?.setView(ui.view), [view, ui.view]);
  useEffect(() => view?.setSmooth(SMOOTH_LEVELS[ui.smooth]), [view, ui.smooth]);
  useEffect(() => view?.setSurface(ui.edges, ui.seeThrough), [view, ui.edges, ui.seeThrough]);
  useEffect(
    () => view?.setMotion(withTimeline && ui.ground, withTimeline && ui.goesAlong),
    [view, withTimeline, ui.ground, ui.goesAlong],
  );
  useEffect(() => view?.setStraight(ui.straight), [view, ui.straight]);
  useEffect(
    () => at.scene.setShowsGhosts(ui.ghosts && at.document.character.drawing !== undefined),
    [at, ui.ghosts],
  );
  useEffect(() => view?.setSkeletonShown(ui.showJoints), [view, ui.showJoints]);
  useEffect(() => {
    const placing = ui.tool === 'place';
    view?.setHandles(placing ? 'move' : ui.tool === 'pose' ? ui.handles : undefined, placing);
    if (ui.tool !== 'grow') view?.showNewJoint(undefined);
    at.scene.setShowsRest(placing || RESTING.includes(ui.tool));
  }, [view, at, ui.tool, ui.handles, at.scene.joint]);
  return (
    <div ref={ref} className="stage" style={{ position: 'relative', height: '100%' }}>
      <span ref={host} style={{ display: 'contents' }} />
      <div
        style={{
          position: 'absolute',
          left: 0,
          top: 0,
          width: boxes.stage.width,
          height: boxes.stage.height,
          pointerEvents: 'none',
        }}
      >
        <Legend at={at} view={ui.view} />
        {!isSplit && boxes.stage.width > 420 && !at.document.character.drawing && <StageLooks />}
        {view && <PointRings at={at} view={view} />}
        {view && <CommentPins at={at} view={view} />}
        <TroubleCard at={at} />
        <Said pointing={pointing} />
        <StageHint at={at} />
        <Loupe at={at} pointing={pointing} width={boxes.stage.width} height={boxes.stage.height} />
      </div>
      {isSplit && <SplitNames at={at} beside={ui.beside} box={boxes.stage} />}
      {withStrip && <Strip at={at} top={boxes.stage.height} cells={boxes.cells} pictures={pictures} />}
      {withTimeline && <Timeline at={at} top={boxes.stage.height} />}
    </div>
  );
}

interface Wanted {
  readonly strip: boolean;
  readonly pictures: number;
  readonly timeline: boolean;
  readonly split: boolean;
}

function layBoxes(
  width: number,
  height: number,
  { strip, pictures, timeline, split }: Wanted,
): { stage: Box; cells: Box[]; beside: Box | undefined } {
  const widthOf = (n: number): number => Math.max(20, Math.floor((width - GAP_PX * (n + 1)) / n));
  const cellWidth = widthOf(Math.max(pictures, STRIP_STEPS.length));
  // As high with seven pictures as with five.
  const cellHeight = Math.min(Math.round(widthOf(STRIP_STEPS.length) * 0.9), Math.round(height * 0.24));
  const below = strip ? STRIP_BAR_PX + cellHeight + GAP_PX : timeline ? TIMELINE_PX : 0;
  const stageHeight = Math.max(1, height - below);
  const cells = Array.from({ length: pictures }, (_, i) => ({
    left: GAP_PX + i * (cellWidth + GAP_PX),
    top: stageHeight + STRIP_BAR_PX,
    width: cellWidth,
    height: cellHeight,
  }));
  const stageWidth = Math.max(1, split ? Math.floor(width / 2) : width);
  const beside = split
    ? { left: stageWidth + 1, top: 0, width: Math.max(1, width - stageWidth - 1), height: stageHeight }
    : undefined;
  return { stage: { left: 0, top: 0, width: stageWidth, height: stageHeight }, cells, beside };
}

const SPLIT_NAMES: Readonly<Record<Beside, readonly [string, string]>> = {
  none: ['', ''],
  mirror: ['Here', 'From the mirrored place'],
  before: ['Now', ''],
};

function SplitNames({
  at: { comparing },
  beside,
  box: { width: at, height },
}: {
  at: Workspace;
  beside: Beside;
  box: Box;
}) {
  useEvent(comparing.events, 'changed');
  const [here, other] = SPLIT_NAMES[beside];
  const there = beside === 'before' ? comparedName(comparing.before.of) : other;
  return (
    <>
      <div className="split-name" style={{ left: at - 12, transform: 'translateX(-100%)' }}>
        {here}
      </div>
      <div className="split-name" style={{ left: at + 12 }}>
        {there}
      </div>
      <div className="split-line" style={{ left: at, height }} />
    </>
  );
}

/** What a drag says of itself, while it lasts. */
function Said({ pointing }: { pointing: Pointing }) {
  useEvent(pointing.events, 'changed');
  const { said } = pointing.now;
  return said ? <div className="stage-pose figures">{said}</div> : null;
}
