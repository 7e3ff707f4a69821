import { SegmentedControl } from '@mantine/core';
import { useComputedColorScheme } from '@mantine/core';
import { withJoint, type Axis } from '@judoka/core';
import { useElementSize } from '@mantine/hooks';
import { useEffect, useRef, useState } from 'react';
import { STRIP_STEPS } from '../session/bendStrip.ts';
import type { CharacterSession } from '../session/CharacterSession.ts';
import { useTopic } from '../session/useTopic.ts';
import type { Hover } from '../stage/gestures/gesture.ts';
import { StagePointer } from '../stage/StagePointer.ts';
import { StageView, type Box } from '../stage/StageView.ts';
import { radiusSet, settingsChanged, strengthSet, type Tool } from '../state/benchSlice.ts';
import { store, useAppDispatch, useBench } from '../state/store.ts';
import { DAY, NIGHT } from '../theme/tokens.ts';
import { Legend } from './Legend.tsx';
import { Loupe } from './Loupe.tsx';
import { PointRings } from './PointRings.tsx';
import { modelSize } from './modelSize.ts';
import { stageKeys } from './useShortcuts.ts';
import { NumberField } from './NumberField.tsx';

const STRIP_BAR_PX = 34;
const GAP_PX = 8;

/** The stage and the bend strip: one canvas under both, with what is read and clicked laid over it. */
export function Stage({ session }: { session: CharacterSession }) {
  const { ref, width, height } = useElementSize();
  const canvas = useRef<HTMLCanvasElement>(null);
  const scheme = useComputedColorScheme('light');
  const [view, setView] = useState<StageView>();
  const [hover, setHover] = useState<Hover>();
  const [said, setSaid] = useState('');
  const bench = useBench();
  useTopic(session, 'joint');

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

  const withStrip = session.joint >= 0 && height > 320;
  const boxes = layBoxes(width, height, withStrip);
  useEffect(() => {
    if (view && width > 0) view.layOut(width, height, boxes.stage, boxes.cells);
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the boxes follow from these three
  }, [view, width, height, withStrip]);
  useEffect(() => view?.setView(bench.view), [view, bench.view]);
  useEffect(() => view?.setSurface(bench.edges, bench.seeThrough), [view, bench.edges, bench.seeThrough]);
  useEffect(() => view?.setSkeletonShown(bench.showJoints), [view, bench.showJoints]);
  useEffect(() => {
    const placing = bench.tool === 'place';
    view?.setHandles(placing ? 'move' : bench.tool === 'pose' ? bench.handles : undefined, placing);
    session.setShowsRest(placing || bench.tool === 'reach');
  }, [view, session, bench.tool, bench.handles, session.joint]);
  useEffect(() => {
    session.strip.setBend(bench.stripAxis, bench.stripStep);
    view?.stripChanged();
  }, [view, session, bench.stripAxis, bench.stripStep]);

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
      {withStrip && <Strip session={session} top={boxes.stage.height} cells={boxes.cells} />}
    </div>
  );
}

function layBoxes(width: number, height: number, withStrip: boolean): { stage: Box; cells: Box[] } {
  const n = STRIP_STEPS.length;
  const cellWidth = Math.max(20, Math.floor((width - GAP_PX * (n + 1)) / n));
  const cellHeight = Math.min(Math.round(cellWidth * 0.9), Math.round(height * 0.24));
  const stripHeight = withStrip ? STRIP_BAR_PX + cellHeight + GAP_PX : 0;
  const stageHeight = Math.max(1, height - stripHeight);
  const cells = withStrip
    ? STRIP_STEPS.map((_, i) => ({
        left: GAP_PX + i * (cellWidth + GAP_PX),
        top: stageHeight + STRIP_BAR_PX,
        width: cellWidth,
        height: cellHeight,
      }))
    : [];
  return { stage: { left: 0, top: 0, width: Math.max(1, width), height: stageHeight }, cells };
}

/** The chosen joint in five bends; a click makes the stage take that one. */
function Strip({ session, top, cells }: { session: CharacterSession; top: number; cells: readonly Box[] }) {
  const dispatch = useAppDispatch();
  const { stripAxis, stripStep } = useBench();
  useTopic(session, 'pose');
  const { strip, joint, pose } = session;
  const name = session.jointName(joint);
  const isTaken = (index: number): boolean => {
    const rotation = pose[joint]?.rotation ?? [0, 0, 0, 1];
    return strip.jointPose(index).rotation.every((n, k) => Math.abs(n - rotation[k]) < 1e-4);
  };
  return (
    <div role="group" aria-label="Bend strip">
      <div
        className="strip-bar"
        style={{ left: 12, right: 12, top, height: STRIP_BAR_PX, borderTop: '1px solid var(--hairline)' }}
      >
        <span>
          Bends of <strong style={{ color: 'var(--ink)' }}>{name}</strong>
        </span>
        <span className="spread" />
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
      </div>
      {cells.map((box, i) => (
        <button
          key={STRIP_STEPS[i]}
          type="button"
          className="strip-cell"
          style={{ left: box.left, top: box.top, width: box.width, height: box.height }}
          aria-pressed={isTaken(i)}
          aria-label={`Take the pose of ${name} at ${STRIP_STEPS[i] * stripStep} degrees about ${stripAxis}`}
          onClick={() => session.setPose(withJoint(pose, joint, strip.jointPose(i)))}
        >
          <span className="angle figures">{STRIP_STEPS[i] * stripStep}°</span>
        </button>
      ))}
    </div>
  );
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
