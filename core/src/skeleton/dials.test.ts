import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { type Dialled, redial } from './dials.ts';
import { type JointPose, type Pose, rotationFromAngles } from './pose.ts';

const angle = fc.integer({ min: -120, max: 120 });
const step = fc.integer({ min: -20, max: 20 }).map((x) => x / 10);
const joint = fc
  .tuple(
    fc.tuple(angle, fc.integer({ min: -80, max: 80 }), angle),
    fc.tuple(step, step, step),
    fc.integer({ min: 1, max: 30 }),
  )
  .map(([angles, translation, size]): JointPose => ({
    rotation: rotationFromAngles(angles),
    translation,
    scale: [size / 10, 1, 10 / size],
  }));
const pose = fc.dictionary(fc.constantFrom('0', '1', '2'), joint) as unknown as fc.Arbitrary<Pose>;
const dialled: fc.Arbitrary<Dialled> = fc.record({ pose, amount: step });

const asTurn = ({ rotation: [x, y, z, w] }: JointPose): number[] => (w < 0 ? [-x, -y, -z, -w] : [x, y, z, w]);
function expectSame(a: Pose, b: Pose): void {
  expect(Object.keys(a)).toEqual(Object.keys(b));
  for (const key of Object.keys(a).map(Number)) {
    const turns = [asTurn(a[key]), asTurn(b[key])];
    const dot = Math.abs(turns[0].reduce((sum, x, k) => sum + x * turns[1][k], 0));
    expect(dot).toBeCloseTo(1, 5);
    for (let k = 0; k < 3; k++) {
      expect(a[key].translation[k]).toBeCloseTo(b[key].translation[k], 5);
      expect(a[key].scale[k] / b[key].scale[k]).toBeCloseTo(1, 4);
    }
  }
}

test('all of one pose at rest is that pose, half of it half a turn', () => {
  fc.assert(fc.property(pose, (one) => expectSame(redial({}, [], [{ pose: one, amount: 1 }]), one)));
  const turn: Pose = {
    4: { rotation: rotationFromAngles([0, 0, 80]), translation: [2, 0, 0], scale: [4, 1, 1] },
  };
  const half = redial({}, [], [{ pose: turn, amount: 0.5 }])[4];
  rotationFromAngles([0, 0, 40]).forEach((x, k) => expect(half.rotation[k]).toBeCloseTo(x, 6));
  expect(half.translation).toEqual([1, 0, 0]);
  expect(half.scale[0]).toBeCloseTo(2, 6);
});

test('several are one sum, whatever their order, and are taken back whole from what a hand did', () => {
  fc.assert(
    fc.property(pose, fc.array(dialled, { maxLength: 4 }), (hand, dials) => {
      const posed = redial(hand, [], dials);
      expectSame(redial(hand, [], [...dials].reverse()), posed);
      expectSame(
        dials.reduce((now, _, i) => redial(now, dials.slice(0, i), dials.slice(0, i + 1)), hand),
        posed,
      );
      expectSame(redial(posed, dials, []), redial(hand, [], []));
    }),
  );
});

test('a joint that is back at rest is left out', () => {
  fc.assert(
    fc.property(fc.array(dialled, { maxLength: 3 }), (dials) => {
      expect(redial(redial({}, [], dials), dials, [])).toEqual({});
    }),
  );
});
