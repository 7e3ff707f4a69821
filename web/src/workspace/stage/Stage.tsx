import type { Workspace } from '../Workspace.ts';
import { SegmentedControl, Select } from '@mantine/core';
import { useComputedColorScheme, VisuallyHidden } from '@mantine/core';
import { angleWords, stretchWords } from '@judoka/core/analysis';
import { subtreeOf, type Pose } from '@judoka/core/skeleton';
import { useElementSize } from '@mantine/hooks';
import { useEffect, useMemo, useRef, useState } from 'react';
import { STRIP_STEPS, type StripPicture } from '../../scene/BendStrip.ts';
import { useEvent } from '../../document/useEvent.ts';
import { StagePointer } from './StagePointer.ts';
import type { CameraPlace } from '../../scene/StageCamera.ts';
import { StageView, type Box } from '../../scene/StageView.ts';
import {
  radiusSet,
  settingsChanged,
  strengthSet,
  type Beside,
  type StripSource,
  type Tool,
} from '../../settings/uiSettings.ts';
import { store, useAppDispatch, useUiSettings } from '../../settings/store.ts';
import { DAY, NIGHT } from '../../ui/theme/tokens.ts';
import { CommentPins } from '../../features/comments/CommentPins.tsx';
import { Legend } from './Legend.tsx';
import { Loupe } from './Loupe.tsx';
import { StageLooks } from './StageLooks.tsx';
import { PointRings } from '../../features/select/PointRings.tsx';
import { jointMasses } from '../../scene/scope.ts';
import { modelSize } from '../../scene/modelSize.ts';
import { stageKeys } from '../../scene/stageActions.ts';
import { NumberField } from '../../ui/NumberField.tsx';
import type { Step } from '../stages.ts';
import { OLD } from '../../document/alternative.ts';
import {
  NOTHING_TO_SHOW,
  type ProposedPicture,
  samePose,
  SOURCE_EMPTY,
  sourceShown,
  strippedPose,
  stripPictures,
} from './stripPictures.ts';
import { TroubleCard } from './TroubleCard.tsx';
import { Timeline, TIMELINE_PX } from '../../features/clips/Timeline.tsx';
import { comparedName } from '../../features/compare/Comparing.ts';
import { Pointing } from './Pointing.ts';
import './stage.css';

/** Tools that are at work on what stands at rest. */
const RESTING: readonly Tool[] = ['reach', 'grow', 'outline'];

const STRIP_BAR_PX = 34;
const GAP_PX = 8;

/** Where the camera looked before the stage was drawn anew, by night for instance. */
const looked = new WeakMap<Workspace, CameraPlace & { readonly up: string }>();

/** The stage and the bend strip: one canvas under both, with what is read and clicked laid over it. */
export function Stage({ at, step }: { at: Workspace; step: Step }) {
  const { ref, width, height } = useElementSize();
  const canvas = useRef<HTMLCanvasElement>(null);
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
    'view',
  );
  useEvent(at.scene.events, 'joint');
  useEvent(at.clips.events, 'clip');

  useEffect(() => {
    if (!canvas.current) return undefined;
    const tokens = scheme === 'dark' ? NIGHT : DAY;
    const before = looked.get(at) ?? (at.cameFrom && looked.get(at.cameFrom));
    at.cameFrom = undefined;
    const made = new StageView(canvas.current, at, tokens, before?.up === up ? before : undefined);
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
      <canvas ref={canvas} tabIndex={0} aria-label="Stage: the model, and the bend strip below it" />
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

/** What the strip shows, as its source says; even turns where the source has nothing. */
function useStripPictures(at: Workspace): readonly StripPicture[] {
  const { stripSource, stripAxis, stripStep } = useUiSettings('stripSource', 'stripAxis', 'stripStep');
  const joint = useEvent(at.scene.events, 'joint');
  const kept = useEvent(at.document.events, 'values');
  const trial = useEvent(at.trial.events, 'changed');
  const skeleton = useEvent(at.document.events, 'joints');
  const settings = useEvent(at.document.events, 'values');
  const shown = useEvent(at.document.events, 'shown');
  return useMemo(
    () => stripPictures(at, stripSource, stripAxis, stripStep),
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the versions stand for what is read
    [at, stripSource, stripAxis, stripStep, joint, kept, trial, skeleton, settings, shown],
  );
}

/** Whether something bends in the pictures of the chosen joint. */
function useMoves(at: Workspace): boolean {
  const joint = useEvent(at.scene.events, 'joint');
  const weights = useEvent(at.document.events, 'weights');
  const skeleton = useEvent(at.document.events, 'joints');
  return useMemo(() => {
    if (at.scene.joint < 0) return false;
    const masses = jointMasses(at);
    return subtreeOf(at.document.skeleton, at.scene.joint).some((each) => masses[each] > 0);
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the versions stand for what is read
  }, [at, joint, weights, skeleton]);
}

const STRIP_SOURCES: readonly { readonly value: StripSource; readonly label: string }[] = [
  { value: 'axis', label: 'even turns' },
  { value: 'range', label: 'its range' },
  { value: 'kept', label: 'kept poses' },
  { value: 'worst', label: 'worst frames' },
];
const STRIP_OF_PROPOSED: typeof STRIP_SOURCES = [{ value: 'proposed', label: 'side by side' }];

/** The chosen joint in several bends; a click makes the stage take that one. */
function Strip({
  at,
  top,
  cells,
  pictures,
}: {
  at: Workspace;
  top: number;
  cells: readonly Box[];
  pictures: readonly StripPicture[];
}) {
  const dispatch = useAppDispatch();
  const { stripAxis, stripStep, ...settings } = useUiSettings('stripAxis', 'stripStep', 'stripSource');
  const stripSource = sourceShown(at, settings.stripSource);
  useEvent(at.scene.events, 'pose');
  useEvent(at.document.events, 'shown');
  const {
    scene: { joint, pose },
  } = at;
  const name = joint < 0 ? '' : at.document.jointName(joint);
  if (cells.length === 0)
    return (
      <div className="strip-empty" style={{ left: 12, right: 12, top: top + STRIP_BAR_PX }}>
        {joint < 0
          ? 'Choose a joint, in the roster or by its bone: here it is seen in several bends at once.'
          : `${name} moves nothing: no point follows it, or a joint below it.`}
      </div>
    );
  const stripPose = (i: number): Pose => strippedPose(at, stripSource, pictures[i].pose);
  return (
    <div role="group" aria-label="Bend strip">
      <div
        className="strip-bar"
        style={{ left: 12, right: 12, top, height: STRIP_BAR_PX, borderTop: '1px solid var(--hairline)' }}
      >
        <span className="strip-name">
          Bends of <strong style={{ color: 'var(--ink)' }}>{name}</strong>
        </span>
        <Select
          w={122}
          size="xs"
          aria-label="What the strip shows"
          data={[...STRIP_SOURCES, ...(at.document.proposals.current ? STRIP_OF_PROPOSED : [])]}
          value={stripSource}
          allowDeselect={false}
          onChange={(value) => dispatch(settingsChanged({ stripSource: value as StripSource }))}
        />
        <span className="spread" />
        {stripSource === 'axis' && (
          <>
            <span>about</span>
            <SegmentedControl
              size="xs"
              aria-label="Bend axis"
              data={['x', 'y', 'z']}
              value={stripAxis}
              onChange={(axis) => dispatch(settingsChanged({ stripAxis: axis }))}
            />
            <span>by</span>
            <NumberField
              aria-label="Bend step"
              w={64}
              min={1}
              max={90}
              step={5}
              suffix="°"
              value={stripStep}
              onChange={(value) => value >= 1 && dispatch(settingsChanged({ stripStep: value }))}
            />
          </>
        )}
        {stripSource === 'range' && !at.trial.rangeOf(joint) && <span>{SOURCE_EMPTY.range}</span>}
        {(stripSource === 'kept' || stripSource === 'worst') && pictures === NOTHING_TO_SHOW && (
          <span>{SOURCE_EMPTY[stripSource]}</span>
        )}
      </div>
      {cells.map((box, i) => (
        <button
          key={i}
          type="button"
          className="strip-cell"
          style={{ left: box.left, top: box.top, width: box.width, height: box.height }}
          aria-pressed={pictures[i] && samePose(stripPose(i), pose, joint) && isOnStage(at, pictures[i])}
          onClick={() => {
            at.scene.setPose(stripPose(i));
            const { index } = pictures[i] as Partial<ProposedPicture>;
            if (index !== undefined) at.document.proposals.choose(index).catch(at.document.notifyError);
          }}
        >
          <VisuallyHidden>
            {stripSource === 'axis'
              ? `Take the pose of ${name} about ${stripAxis} at `
              : `Take the pose of ${name} in `}
          </VisuallyHidden>
          <StripName {...(pictures[i] as Partial<ProposedPicture>)} />
          <span className="angle figures">{pictures[i]?.label}</span>
          <StripFigure at={at} index={i} pictures={pictures} />
        </button>
      ))}
    </div>
  );
}

function StripName({ name }: Partial<ProposedPicture>) {
  return name === undefined ? null : <span className="strip-whose">{name}</span>;
}

/** Whether a picture's weights are those on the stage. */
function isOnStage({ document }: Workspace, { index }: Partial<ProposedPicture>): boolean {
  const { current } = document.proposals;
  return index === undefined || index === (current?.shown ? current.index : OLD);
}

/** A picture whose most stretched edge is no longer than this is not told of. */
const SEEN_STRETCH = 0.05;

/**
 * The worst picture's figure: as the list of bends has it where it was measured with the weights as they are; during a
 * stroke, and where it was not, as the strip's own edges tell.
 */
function StripFigure({
  at,
  index,
  pictures,
}: {
  at: Workspace;
  index: number;
  pictures: readonly StripPicture[];
}) {
  const figure = useRef<HTMLSpanElement>(null);
  useEffect(() => {
    let frame = 0;
    let isPainting = false;
    const put = (): void => {
      frame = 0;
      const stretches = stretchesOf(at, pictures, isPainting);
      const own = stretches[index] ?? 0;
      const shown = figure.current;
      if (!shown) return;
      const isWorst = own >= SEEN_STRETCH && index === stretches.indexOf(Math.max(...stretches));
      shown.hidden = !isWorst;
      shown.parentElement?.classList.toggle('worst', isWorst);
      shown.textContent = stretchWords(own);
      shown.title = 'How many times its length the most stretched edge has';
    };
    const later = (): void => {
      frame ||= requestAnimationFrame(put);
    };
    const painted = (): void => {
      isPainting = true;
      later();
    };
    const rested = (): void => {
      isPainting = false;
      later();
    };
    later();
    at.scene.pointListeners.add(painted);
    const ends = [
      at.document.events.subscribe('weights', rested),
      at.document.events.subscribe('values', later),
      at.scene.events.subscribe('joint', later),
      at.scene.events.subscribe('parts', later),
      at.trial.events.subscribe('changed', later),
    ];
    return () => {
      cancelAnimationFrame(frame);
      at.scene.pointListeners.delete(painted);
      for (const end of ends) end();
    };
  }, [at, index, pictures]);
  return <span ref={figure} className="strip-figure figures" hidden />;
}

/** How far each picture is stretched, in times its length. */
function stretchesOf(at: Workspace, pictures: readonly StripPicture[], isPainting: boolean): number[] {
  const measured = isPainting ? undefined : at.trial.currentTrial(at.scene.joint);
  return at.scene.strip.figures().map(({ stretch }, i) => {
    const pose = measured?.poses.find(
      ({ at: when }) => 'angles' in when && angleWords(when.angles) === pictures[i]?.label,
    );
    return pose?.figures.stretch ?? stretch;
  });
}

const REST_WORDS: Partial<Record<Tool, string>> = {
  place: 'Rest pose: drag a joint to where the body bends',
  grow: 'Rest pose: click on the body for a joint in its middle; click on a joint to go on from it',
  outline: 'Rest pose: click an outline to add a point, drag points and handles',
  reach: 'Rest pose: choose a joint, drag the edges of its reach',
};

function RestNote({ at }: { at: Workspace }) {
  const { tool } = useUiSettings('tool');
  const ghost = at.scene.ghost.length > 0 ? 'Rest pose: the source lies over the character' : undefined;
  return <div className="stage-note">{ghost ?? REST_WORDS[tool] ?? 'Rest pose, while Space is held'}</div>;
}

function StageHint({ at }: { at: Workspace }) {
  useEvent(at.scene.events, 'pose');
  if (at.scene.showsRest) return <RestNote at={at} />;
  if (at.scene.joint >= 0 || at.document.skeleton.joints.length === 0) return null;
  return (
    <div className="stage-note">
      Click a bone to begin. Right drag orbits, middle drag pans, the wheel zooms.
    </div>
  );
}

/** What a drag says of itself, while it lasts. */
function Said({ pointing }: { pointing: Pointing }) {
  useEvent(pointing.events, 'changed');
  const { said } = pointing.now;
  return said ? <div className="stage-pose figures">{said}</div> : null;
}
