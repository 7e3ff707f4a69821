import { Group } from '@mantine/core';
import { ActionButton } from '../../ui/ActionButton.tsx';
import {
  anglesFromRotation,
  type JointPose,
  mirrorPose,
  REST_JOINT,
  REST_POSE,
  rotationFromAngles,
  subtreeOf,
  withChainAtRest,
  withJoint,
} from '@judoka/core/skeleton';
import { useEvent } from '../../document/useEvent.ts';
import { type HandleMode } from '../../scene/PoseHandles.ts';
import { settingsChanged } from '../../settings/uiSettings.ts';
import { useAppDispatch, useUiSettings } from '../../settings/store.ts';
import { NumberField } from '../../ui/NumberField.tsx';
import { Segments } from '../../ui/Segments.tsx';
import type { Editing } from '../../scene/Editing.ts';

type At = Editing;

const AXES = ['x', 'y', 'z'] as const;
const LABELS: Readonly<Record<HandleMode, string>> = { turn: 'Turn', move: 'Move', scale: 'Scale' };
const SUFFIX: Readonly<Record<HandleMode, string>> = { turn: '°', move: '', scale: '×' };

/** How the chosen joint stands in numbers, the ways back to rest, and across to the other side. */
export function PosePanel({ at }: { at: At }) {
  useEvent(at.scene.events, 'pose');
  useEvent(at.scene.events, 'joint');
  const dispatch = useAppDispatch();
  const { handles } = useUiSettings('handles');
  const {
    scene: { joint, pose },
    document: { skeleton },
  } = at;
  const moved = Object.keys(pose).length;
  const chain = joint >= 0 ? subtreeOf(skeleton, joint) : [];
  const chainMoved = chain.filter((each) => each in pose).length;
  const partner = joint >= 0 ? at.document.pairs.partner[joint] : -1;
  return (
    <section className="group">
      <h2>Pose</h2>
      <Segments
        mb={8}
        name="What the handles do"
        choices={LABELS}
        value={handles}
        set={(mode) => dispatch(settingsChanged({ handles: mode }))}
      />
      {joint >= 0 && <Numbers at={at} mode={handles} joint={joint} />}
      <Group gap={6} grow mb={6}>
        <ActionButton
          name="Rest this joint"
          variant="default"
          disabled={joint < 0 || !pose[joint]}
          onClick={() => at.scene.handlePose(withJoint(pose, joint, REST_JOINT))}
        >
          Rest this joint
        </ActionButton>
        <ActionButton
          name="Rest its chain"
          variant="default"
          disabled={chainMoved === 0}
          title="The chosen joint and all below it"
          onClick={() => at.scene.handlePose(withChainAtRest(skeleton, pose, joint))}
        >
          Rest its chain
        </ActionButton>
      </Group>
      <Group gap={6} grow>
        <ActionButton
          name="Copy the pose across"
          variant="default"
          disabled={partner < 0 || partner === joint || chainMoved === 0}
          title={
            partner >= 0 && partner !== joint
              ? `${at.document.jointName(partner)} and what hangs on it do the same, mirrored`
              : 'This joint has no partner on the other side'
          }
          onClick={() => at.scene.handlePose(mirrorPose(skeleton, pose, at.document.pairs, chain))}
        >
          Copy across
        </ActionButton>
        <ActionButton
          name="Rest all joints"
          variant="default"
          disabled={moved === 0}
          onClick={() => at.scene.setPose(REST_POSE)}
        >
          Rest all{moved > 0 ? ` ${moved}` : ''}
        </ActionButton>
      </Group>
    </section>
  );
}

function readNumbers(mode: HandleMode, { rotation, translation, scale }: JointPose): readonly number[] {
  return { turn: anglesFromRotation(rotation), move: translation, scale }[mode];
}

function withNumbers(mode: HandleMode, numbers: [number, number, number]): Partial<JointPose> {
  if (mode === 'turn') return { rotation: rotationFromAngles(numbers) };
  return mode === 'move' ? { translation: numbers } : { scale: numbers };
}

function Numbers({ at, mode, joint }: { at: At; mode: HandleMode; joint: number }) {
  const {
    scene: { pose },
  } = at;
  const numbers = readNumbers(mode, pose[joint] ?? REST_JOINT);
  const digits = mode === 'turn' ? 1 : 3;
  const [least, most] = { turn: [-360, 360], move: [-1e6, 1e6], scale: [0.01, 100] }[mode];
  const set = (axis: number, value: number): void => {
    const next: [number, number, number] = [numbers[0], numbers[1], numbers[2]];
    next[axis] = value;
    at.scene.handlePose(withJoint(pose, joint, withNumbers(mode, next)));
  };
  return (
    <Group gap={6} grow mb={8}>
      {AXES.map((axis, index) => (
        <NumberField
          key={axis}
          aria-label={`${LABELS[mode]} about ${axis}`.replace(/^(Move|Scale) about/, '$1 along')}
          leftSection={
            <span style={{ color: `var(--axis${axis.toUpperCase()})`, fontWeight: 650 }}>{axis}</span>
          }
          leftSectionWidth={20}
          suffix={SUFFIX[mode]}
          decimalScale={digits}
          step={mode === 'turn' ? 5 : 0.05}
          min={least}
          max={most}
          value={Number(numbers[index].toFixed(digits)) + 0}
          onChange={(value) => {
            const step = 0.5 * 10 ** -digits;
            if (Math.abs(value - numbers[index]) > step) set(index, value);
          }}
        />
      ))}
    </Group>
  );
}
