import type { DemoJoint } from '../demoJoint.ts';
import { normalize, subtract, add, mirrored, type Vec3 } from '@judoka/core/math';

const ACROSS: Vec3 = [1, 0, 0];
const AHEAD: Vec3 = [0, 0, 1];

/** Places along the body, from tail to head: the body's cage follows them too. Metres, +y up, looking along +z. */
export const SPINE: Readonly<Record<string, Vec3>> = {
  tail_3: [0, 0.575, -0.4],
  tail_2: [0, 0.6, -0.335],
  tail_1: [0, 0.635, -0.25],
  pelvis: [0, 0.69, -0.13],
  spine_1: [0, 0.715, -0.045],
  spine_2: [0, 0.74, 0.045],
  chest: [0, 0.77, 0.13],
  neck_1: [0, 0.835, 0.2],
  neck_2: [0, 0.915, 0.232],
  neck_3: [0, 1.0, 0.218],
  neck_4: [0, 1.08, 0.18],
  neck_5: [0, 1.16, 0.165],
  neck_6: [0, 1.235, 0.19],
  head: [0, 1.295, 0.245],
  crown: [0, 1.315, 0.35],
};

export const LEG: Readonly<Record<string, Vec3>> = {
  hip: [0.07, 0.66, -0.05],
  knee: [0.085, 0.5, 0.005],
  ankle: [0.09, 0.27, -0.045],
  foot: [0.092, 0.035, 0.0],
};

/** Toes: where each leaves the foot and where it ends. */
export const TOES: Readonly<Record<string, readonly [Vec3, Vec3]>> = {
  toe_inner: [
    [0.08, 0.018, 0.02],
    [0.045, 0.012, 0.115],
  ],
  toe_middle: [
    [0.092, 0.018, 0.025],
    [0.1, 0.012, 0.14],
  ],
  toe_outer: [
    [0.106, 0.018, 0.018],
    [0.16, 0.012, 0.1],
  ],
  toe_back: [
    [0.092, 0.018, -0.018],
    [0.088, 0.012, -0.085],
  ],
};

export const WING: Readonly<Record<string, Vec3>> = {
  shoulder: [0.105, 0.785, 0.085],
  elbow: [0.235, 0.735, 0.035],
  wrist: [0.365, 0.69, 0.085],
  hand: [0.46, 0.645, 0.05],
  feathers: [0.55, 0.595, -0.005],
  wingtip: [0.63, 0.54, -0.07],
};

export const SCARF: readonly Vec3[] = [
  [0.035, 0.885, 0.285],
  [0.045, 0.82, 0.305],
  [0.05, 0.755, 0.312],
  [0.054, 0.69, 0.312],
  [0.056, 0.625, 0.308],
  [0.057, 0.565, 0.302],
];

export const LANTERN_TOP: Vec3 = [0.385, 0.655, 0.1];
export const SATCHEL_PLACE: Vec3 = [-0.165, 0.62, -0.055];

function build(): DemoJoint[] {
  const joints: DemoJoint[] = [];
  const put = (name: string, parent: string | null, place: Vec3, end: Vec3, hinge: Vec3 = ACROSS): void => {
    joints.push({ name, parent, place, aim: normalize(subtract(end, place)), hinge });
  };
  put('root', null, [0, 0, 0], [0, 1, 0]);
  put('pelvis', 'root', SPINE.pelvis, SPINE.spine_1);
  const chain = [
    'spine_1',
    'spine_2',
    'chest',
    'neck_1',
    'neck_2',
    'neck_3',
    'neck_4',
    'neck_5',
    'neck_6',
    'head',
    'crown',
  ];
  for (let i = 0; i + 1 < chain.length; i++) {
    put(chain[i], i === 0 ? 'pelvis' : chain[i - 1], SPINE[chain[i]], SPINE[chain[i + 1]]);
  }
  put('beak_upper', 'head', [0, 1.308, 0.335], [0, 1.292, 0.56]);
  put('beak_lower', 'head', [0, 1.288, 0.325], [0, 1.28, 0.53]);
  put('tail_1', 'pelvis', SPINE.tail_1, SPINE.tail_2);
  put('tail_2', 'tail_1', SPINE.tail_2, SPINE.tail_3);
  for (const side of ['L', 'R'] as const) {
    const at = (place: Vec3): Vec3 => (side === 'L' ? place : mirrored(place));
    put(`eye_${side}`, 'head', at([0.036, 1.318, 0.305]), at([0.06, 1.318, 0.315]));
    const wing = ['shoulder', 'elbow', 'wrist', 'hand', 'feathers', 'wingtip'];
    for (let i = 0; i + 1 < wing.length; i++) {
      put(
        `${wing[i]}_${side}`,
        i === 0 ? 'chest' : `${wing[i - 1]}_${side}`,
        at(WING[wing[i]]),
        at(WING[wing[i + 1]]),
        AHEAD,
      );
    }
    put(`hip_${side}`, 'pelvis', at(LEG.hip), at(LEG.knee));
    put(`knee_${side}`, `hip_${side}`, at(LEG.knee), at(LEG.ankle));
    put(`ankle_${side}`, `knee_${side}`, at(LEG.ankle), at(LEG.foot));
    put(`foot_${side}`, `ankle_${side}`, at(LEG.foot), at([0.092, 0, 0.03]));
    for (const [toe, [from, to]] of Object.entries(TOES)) {
      put(`${toe}_${side}`, `foot_${side}`, at(from), at(to));
    }
    put(`toe_middle_tip_${side}`, `toe_middle_${side}`, at([0.096, 0.015, 0.085]), at(TOES.toe_middle[1]));
    put(`cape_side_${side}`, 'chest', at([0.13, 0.865, 0.02]), at([0.21, 0.84, 0]), AHEAD);
    put(`cape_hem_${side}`, `cape_side_${side}`, at([0.21, 0.84, 0]), at([0.29, 0.81, -0.01]), AHEAD);
  }
  put('cape_back_1', 'spine_2', [0, 0.9, 0.02], [0, 0.85, -0.12]);
  put('cape_back_2', 'cape_back_1', [0, 0.85, -0.12], [0, 0.78, -0.25]);
  for (let i = 0; i + 1 < SCARF.length; i++) {
    put(`scarf_${i + 1}`, i === 0 ? 'neck_1' : `scarf_${i}`, SCARF[i], SCARF[i + 1]);
  }
  put('satchel', 'spine_1', SATCHEL_PLACE, add(SATCHEL_PLACE, [0, -0.1, 0]));
  put('lantern_handle', 'wrist_L', WING.wrist, LANTERN_TOP);
  put('lantern', 'lantern_handle', LANTERN_TOP, add(LANTERN_TOP, [0, -0.1, 0]));
  return joints;
}

/** Parents before children. */
export const JOINTS: readonly DemoJoint[] = build();
export const JOINT_NAMES: readonly string[] = JOINTS.map(({ name }) => name);
