import { SegmentedControl, Select } from '@mantine/core';
import { useComputedColorScheme } from '@mantine/core';
import type { Axis, Pose } from '@judoka/core/skeleton';
import { useElementSize } from '@mantine/hooks';
import { useEffect, useMemo, useRef, useState } from 'react';
import { STRIP_STEPS, type StripPicture } from '../session/bendStrip.ts';
import type { CharacterSession } from '../session/CharacterSession.ts';
import { useTopic } from '../session/useTopic.ts';
import type { Hover } from '../stage/gestures/gesture.ts';
import { StagePointer } from '../stage/StagePointer.ts';
import { StageView, type Box } from '../stage/StageView.ts';
import {
  radiusSet,
  settingsChanged,
  strengthSet,
  type Beside,
  type StripSource,
  type Tool,
} from '../state/benchSlice.ts';
import { store, useAppDispatch, useBench } from '../state/store.ts';
import { DAY, NIGHT } from '../theme/tokens.ts';
import { Legend } from './Legend.tsx';
import { Loupe } from './Loupe.tsx';
import { PointRings } from './PointRings.tsx';
import { modelSize } from './modelSize.ts';
import { stageKeys } from './useShortcuts.ts';
import { NumberField } from './NumberField.tsx';
import type { Step } from './steps.ts';
import { NOTHING_TO_SHOW, samePose, SOURCE_EMPTY, strippedPose, stripPictures } from './stripPictures.ts';
import { Timeline, TIMELINE_PX } from './Timeline.tsx';

const STRIP_BAR_PX = 34;
const GAP_PX = 8;

/** The stage and the bend strip: one canvas under both, with what is read and clicked laid over it. */
export function Stage({ session, step }: { session: CharacterSession; step: Step }) {
  const { ref, width, height } = useElementSize();
  const canvas = useRef<HTMLCanvasElement>(null);
  const scheme = useComputedColorScheme('light');
  const [view, setView] = useState<StageView>();
  const [hover, setHover] = useState<Hover>();
  const [said, setSaid] = useState('');
  const bench = useBench();
  useTopic(session, 'joint');
  useTopic(session, 'clip');

  useEffect(() => {
    if (!canvas.current) return undefined;
    const made = new StageView(canvas.current, session, scheme === 'dark' ? NIGHT : DAY);
    const pointer = new StagePointer(made, session, {
      settings: () => store.getState().bench,
      radius: () => store.getState().bench.radius * modelSize(session),
      hover: setHover,
      saying: setSaid,
      picked: (value) => store.dispatch(settingsChanged({ value })),
      sizing: (dx, dy) => {
        const { radius, strength } = store.getState().bench;
        store.dispatch(radiusSet(radius * 1.008 ** dx));
        store.dispatch(strengthSet(strength - dy * 0.003));
      },
    });
    const release = stageKeys({
      frameAll: () => made.frameAll(),
      frameJoint: () => made.frameJoint(),
      frameSelection: () => made.frameSelection(),
      sizing: (held) => (pointer.sizing = held),
      picture: () => made.picture(),
    });
    setView(made);
    return () => {
      release();
      pointer.dispose();
      made.dispose();
      setView(undefined);
    };
  }, [session, scheme]);

  const withTimeline = step === 'trial' && session.clips.current !== undefined && height > 320;
  const pictures = useStripPictures(session);
  const withStrip = !withTimeline && session.joint >= 0 && height > 320;
  const isSplit = step === 'trial' && bench.beside !== 'none';
  const boxes = layBoxes(width, height, {
    pictures: withStrip ? pictures.length : 0,
    timeline: withTimeline,
    split: isSplit,
  });
  useEffect(() => {
    if (view && width > 0) view.layOut(width, height, boxes.stage, boxes.cells, boxes.beside);
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the boxes follow from these
  }, [view, width, height, withStrip, withTimeline, isSplit, pictures.length]);
  useEffect(() => view?.setBeside(isSplit ? bench.beside : 'none'), [view, isSplit, bench.beside]);
  useEffect(() => {
    if (bench.stripSource === 'axis') session.strip.setBend(bench.stripAxis, bench.stripStep);
    else session.strip.setPictures(pictures);
    view?.stripChanged();
  }, [view, session, bench.stripSource, bench.stripAxis, bench.stripStep, pictures]);
  useEffect(() => view?.setView(bench.view), [view, bench.view]);
  useEffect(() => view?.setSurface(bench.edges, bench.seeThrough), [view, bench.edges, bench.seeThrough]);
  useEffect(() => view?.setSkeletonShown(bench.showJoints), [view, bench.showJoints]);
  useEffect(() => {
    const placing = bench.tool === 'place';
    view?.setHandles(placing ? 'move' : bench.tool === 'pose' ? bench.handles : undefined, placing);
    session.setShowsRest(placing || bench.tool === 'reach');
  }, [view, session, bench.tool, bench.handles, session.joint]);
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
        <Legend session={session} view={bench.view} />
        {view && <PointRings session={session} view={view} />}
        {said && <div className="stage-pose figures">{said}</div>}
        <StageHint session={session} />
        {hover && (
          <Loupe
            session={session}
            hover={hover}
            tool={bench.tool}
            width={boxes.stage.width}
            height={boxes.stage.height}
          />
        )}
      </div>
      {isSplit && <SplitNames beside={bench.beside} box={boxes.stage} />}
      {withStrip && (
        <Strip session={session} top={boxes.stage.height} cells={boxes.cells} pictures={pictures} />
      )}
      {withTimeline && <Timeline session={session} top={boxes.stage.height} />}
    </div>
  );
}

interface Wanted {
  readonly pictures: number;
  readonly timeline: boolean;
  readonly split: boolean;
}

function layBoxes(
  width: number,
  height: number,
  { pictures, timeline, split }: Wanted,
): { stage: Box; cells: Box[]; beside: Box | undefined } {
  const n = Math.max(pictures, STRIP_STEPS.length);
  const cellWidth = Math.max(20, Math.floor((width - GAP_PX * (n + 1)) / n));
  const cellHeight = Math.min(Math.round(cellWidth * 0.9), Math.round(height * 0.24));
  const below = pictures > 0 ? STRIP_BAR_PX + cellHeight + GAP_PX : timeline ? TIMELINE_PX : 0;
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
  before: ['Now', 'As it came'],
};

function SplitNames({ beside, box: { width: at, height } }: { beside: Beside; box: Box }) {
  const [here, there] = SPLIT_NAMES[beside];
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
function useStripPictures(session: CharacterSession): readonly StripPicture[] {
  const { stripSource, stripAxis, stripStep } = useBench();
  const joint = useTopic(session, 'joint');
  const kept = useTopic(session, 'kept');
  const trial = useTopic(session, 'trial');
  const skeleton = useTopic(session, 'skeleton');
  const settings = useTopic(session, 'settings');
  return useMemo(
    () => stripPictures(session, stripSource, stripAxis, stripStep),
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the versions stand for what is read
    [session, stripSource, stripAxis, stripStep, joint, kept, trial, skeleton, settings],
  );
}

const STRIP_SOURCES: readonly { readonly value: StripSource; readonly label: string }[] = [
  { value: 'axis', label: 'even turns' },
  { value: 'range', label: 'its range' },
  { value: 'kept', label: 'kept poses' },
  { value: 'worst', label: 'worst frames' },
];

/** The chosen joint in several bends; a click makes the stage take that one. */
function Strip({
  session,
  top,
  cells,
  pictures,
}: {
  session: CharacterSession;
  top: number;
  cells: readonly Box[];
  pictures: readonly StripPicture[];
}) {
  const dispatch = useAppDispatch();
  const { stripAxis, stripStep, stripSource } = useBench();
  useTopic(session, 'pose');
  const { joint, pose } = session;
  const name = session.jointName(joint);
  const stripPose = (i: number): Pose => strippedPose(session, stripSource, pictures[i].pose);
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
          data={[...STRIP_SOURCES]}
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
              onChange={(axis) => dispatch(settingsChanged({ stripAxis: axis as Axis }))}
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
        {stripSource !== 'axis' && pictures === NOTHING_TO_SHOW && <span>{SOURCE_EMPTY[stripSource]}</span>}
      </div>
      {cells.map((box, i) => (
        <button
          key={i}
          type="button"
          className="strip-cell"
          style={{ left: box.left, top: box.top, width: box.width, height: box.height }}
          aria-pressed={pictures[i] && samePose(stripPose(i), pose, joint)}
          aria-label={
            stripSource === 'axis'
              ? `Take the pose of ${name} at ${STRIP_STEPS[i] * stripStep} degrees about ${stripAxis}`
              : `Take the pose ${pictures[i]?.label}`
          }
          onClick={() => session.setPose(stripPose(i))}
        >
          <span className="angle figures">{pictures[i]?.label}</span>
          <StripFigure session={session} index={i} />
        </button>
      ))}
    </div>
  );
}

/** The worst picture's figure, kept up to date during a stroke. */
function StripFigure({ session, index }: { session: CharacterSession; index: number }) {
  const figure = useRef<HTMLSpanElement>(null);
  useEffect(() => {
    let frame = 0;
    const put = (): void => {
      frame = 0;
      const { each, worst } = session.strip.figures();
      const own = each[index];
      const at = figure.current;
      if (!at) return;
      const isWorst = index === worst && own !== undefined && own.damage > 0.002;
      at.hidden = !isWorst;
      at.parentElement?.classList.toggle('worst', isWorst);
      if (own) {
        at.textContent =
          own.stretch >= -own.squeeze
            ? `×${(1 + own.stretch).toFixed(1)}`
            : `${Math.round(100 / (1 - own.squeeze))}%`;
        at.title = own.stretch >= -own.squeeze ? 'The most stretched edge' : 'The most squeezed edge';
      }
    };
    const later = (): void => {
      frame ||= requestAnimationFrame(put);
    };
    later();
    session.pointListeners.add(later);
    const ends = (['weights', 'joint', 'settings', 'parts', 'trial', 'kept'] as const).map((topic) =>
      session.topics.subscribe(topic, later),
    );
    return () => {
      cancelAnimationFrame(frame);
      session.pointListeners.delete(later);
      for (const end of ends) end();
    };
  });
  return <span ref={figure} className="strip-figure figures" hidden />;
}

const REST_WORDS: Partial<Record<Tool, string>> = {
  place: 'Rest pose: drag a joint to where the body bends',
  reach: 'Rest pose: choose a joint, drag the edges of its reach',
};

function RestNote() {
  const { tool } = useBench();
  return <div className="stage-note">{REST_WORDS[tool] ?? 'Rest pose, while Space is held'}</div>;
}

function StageHint({ session }: { session: CharacterSession }) {
  useTopic(session, 'pose');
  if (session.showsRest) return <RestNote />;
  if (session.joint >= 0 || session.skeleton.joints.length === 0) return null;
  return (
    <div className="stage-note">
      Click a bone to begin. Right drag orbits, middle drag pans, the wheel zooms.
    </div>
  );
}
