import { CureHere } from '../../features/cure/CureHere.tsx';
import type { Workspace } from '../Workspace.ts';
import { SegmentedControl, Select } from '@mantine/core';
import { VisuallyHidden } from '@mantine/core';
import { angleWords, stretchWords } from '@judoka/core/analysis';
import { subtreeOf, type Pose } from '@judoka/core/skeleton';
import { useEffect, useMemo, useRef } from 'react';
import { type StripPicture } from '../../scene/BendStrip.ts';
import { useEvent } from '../../document/useEvent.ts';
import { type Box } from '../../scene/StageView.ts';
import { settingsChanged, type StripSource } from '../../settings/uiSettings.ts';
import { useAppDispatch, useUiSettings } from '../../settings/store.ts';
import { jointMasses } from '../../scene/scope.ts';
import { NumberField } from '../../ui/NumberField.tsx';
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

/** Height of the bar over the pictures. */
export const STRIP_BAR_PX = 34;

/** What the strip shows, as its source says; even turns where the source has nothing. */
export function useStripPictures(at: Workspace): readonly StripPicture[] {
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
export function useMoves(at: Workspace): boolean {
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
export function Strip({
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
        <CureHere at={at} />
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
      at.scene.events.subscribe('shapes', later),
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
