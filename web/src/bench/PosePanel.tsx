import { Button, Group, NumberInput } from '@mantine/core';
import { anglesFromRotation, REST_JOINT, REST_POSE, rotationFromAngles, withJoint } from '@judoka/core';
import type { CharacterSession } from '../session/CharacterSession.ts';
import { useTopic } from '../session/useTopic.ts';
import { AXIS_COLOURS } from '../theme/tokens.ts';

const AXES = ['x', 'y', 'z'] as const;

/** The chosen joint's turn in angles, and the ways back to rest. */
export function PosePanel({ session }: { session: CharacterSession }) {
  useTopic(session, 'pose');
  useTopic(session, 'joint');
  const { joint, pose } = session;
  const moved = Object.keys(pose).length;
  const angles = anglesFromRotation((pose[joint] ?? REST_JOINT).rotation);
  const set = (axis: number, degrees: number): void => {
    const next: [number, number, number] = [...angles];
    next[axis] = degrees;
    session.setPose(withJoint(pose, joint, { rotation: rotationFromAngles(next) }));
  };
  return (
    <section className="group">
      <h2>Pose</h2>
      {joint >= 0 && (
        <Group gap={6} grow mb={8}>
          {AXES.map((axis, index) => (
            <NumberInput
              key={axis}
              aria-label={`Turn about ${axis}`}
              leftSection={<span style={{ color: AXIS_COLOURS[axis], fontWeight: 650 }}>{axis}</span>}
              leftSectionWidth={20}
              suffix="°"
              decimalScale={1}
              step={5}
              min={-360}
              max={360}
              clampBehavior="strict"
              hideControls
              classNames={{ input: 'figures' }}
              value={Math.round(angles[index] * 10) / 10 + 0}
              onChange={(value) => {
                if (typeof value === 'number' && Math.abs(value - angles[index]) > 0.05) set(index, value);
              }}
            />
          ))}
        </Group>
      )}
      <Group gap={6} grow>
        <Button
          variant="default"
          disabled={joint < 0 || !pose[joint]}
          onClick={() => session.setPose(withJoint(pose, joint, REST_JOINT))}
        >
          Rest this joint
        </Button>
        <Button variant="default" disabled={moved === 0} onClick={() => session.setPose(REST_POSE)}>
          Rest all{moved > 0 ? ` ${moved}` : ''}
        </Button>
      </Group>
    </section>
  );
}
