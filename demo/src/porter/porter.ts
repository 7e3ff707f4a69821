import { Cage, type Ring, type Shares } from '../cage.ts';
import { restMatrix, type DemoJoint } from '../demoJoint.ts';
import { smoothMesh, type DemoMesh } from '../demoMesh.ts';
import { add, lerp, mirrored, normalize, subtract, type Vec3 } from '@judoka/core/math';
import { writeGlb } from '../writeGlb.ts';

/** The porter, a seal: stout, no neck, flippers close to the body. Metres, +y up, looking along +z. */

const ACROSS: Vec3 = [1, 0, 0];
/** Rings lie inside their corners once they are smoothed; cages are drawn larger for it. */
const SWELL = 1.1;
const SWELL_FOUR = 1.32;
const SWELL_SIX = 1.18;

const TRUNK = {
  pelvis: [0, 0.24, -0.2],
  spine: [0, 0.4, -0.08],
  chest: [0, 0.62, -0.01],
  head: [0, 0.86, 0.03],
  crown: [0, 1.04, 0.07],
} as const satisfies Record<string, Vec3>;

const FLIPPER = {
  shoulder: [0.17, 0.64, 0.04],
  elbow: [0.265, 0.48, 0.07],
  wrist: [0.285, 0.34, 0.09],
  tip: [0.285, 0.19, 0.11],
} as const satisfies Record<string, Vec3>;

const HIND = {
  hind: [0.05, 0.14, -0.36],
  hind_tip: [0.12, 0.06, -0.48],
  end: [0.19, 0.03, -0.58],
} as const satisfies Record<string, Vec3>;

function buildJoints(faults: boolean): DemoJoint[] {
  const joints: DemoJoint[] = [];
  const put = (name: string, parent: string | null, place: Vec3, end: Vec3): void => {
    joints.push({ name, parent, place, aim: normalize(subtract(end, place)), hinge: ACROSS });
  };
  put('root', null, [0, 0, 0], [0, 1, 0]);
  put('pelvis', 'root', TRUNK.pelvis, TRUNK.spine);
  put('spine', 'pelvis', TRUNK.spine, TRUNK.chest);
  put('chest', 'spine', TRUNK.chest, TRUNK.head);
  put('head', 'chest', TRUNK.head, TRUNK.crown);
  put('muzzle', 'head', [0, 0.9, 0.17], [0, 0.88, 0.33]);
  for (const side of ['L', 'R'] as const) {
    const at = (place: Vec3): Vec3 => (side === 'L' ? place : mirrored(place));
    // The right elbow sits where nobody meant it to.
    const elbow = faults && side === 'R' ? add(at(FLIPPER.elbow), [0.01, -0.035, 0]) : at(FLIPPER.elbow);
    put(`eye_${side}`, 'head', at([0.088, 0.955, 0.155]), at([0.11, 0.955, 0.19]));
    put(`shoulder_${side}`, 'chest', at(FLIPPER.shoulder), elbow);
    put(`elbow_${side}`, `shoulder_${side}`, elbow, at(FLIPPER.wrist));
    put(`wrist_${side}`, `elbow_${side}`, at(FLIPPER.wrist), at(FLIPPER.tip));
    put(`hind_${side}`, 'pelvis', at(HIND.hind), at(HIND.hind_tip));
    put(`hind_tip_${side}`, `hind_${side}`, at(HIND.hind_tip), at(HIND.end));
  }
  return joints;
}

const half = (a: string, b: string): Shares => ({ [a]: 0.5, [b]: 0.5 });
const whole = (name: string): Shares => ({ [name]: 1 });

/** Segments of the trunk out of which limbs come, and their sides; numbered as Cage.loft does. */
const HIND_SEGMENT = 0;
const FLIPPER_SEGMENTS = [5, 6];
const FACE = { L: 7, R: 3 } as const;
const LOW_FACE = { L: 6, R: 4 } as const;

function bodyCage(): Cage {
  const T = TRUNK;
  const cage = new Cage();
  const rows: [Vec3, number, number, Shares][] = [
    [[0, 0.13, -0.4], 0.075, 0.05, whole('pelvis')],
    [[0, 0.15, -0.32], 0.12, 0.09, whole('pelvis')],
    [[0, 0.2, -0.23], 0.19, 0.155, whole('pelvis')],
    [lerp(T.pelvis, T.spine, 0.55), 0.235, 0.21, { pelvis: 0.75, spine: 0.25 }],
    [lerp(T.spine, T.chest, 0.15), 0.248, 0.228, { pelvis: 0.2, spine: 0.8 }],
    [lerp(T.spine, T.chest, 0.6), 0.24, 0.222, { spine: 0.7, chest: 0.3 }],
    [lerp(T.chest, T.head, 0.05), 0.212, 0.2, { spine: 0.15, chest: 0.85 }],
    [lerp(T.chest, T.head, 0.5), 0.182, 0.176, whole('chest')],
    [lerp(T.chest, T.head, 0.9), 0.166, 0.164, half('chest', 'head')],
    [lerp(T.head, T.crown, 0.45), 0.152, 0.158, whole('head')],
    [lerp(T.head, T.crown, 0.85), 0.112, 0.118, whole('head')],
    [add(T.crown, [0, -0.005, 0]), 0.055, 0.06, whole('head')],
  ];
  const rings = rows.map(([centre, across, upright, shares]): Ring => ({
    centre,
    side: ACROSS,
    radii: [across * SWELL, upright * SWELL],
    shares,
  }));
  const trunk = cage.loft(rings, 8, [0.02, 0.35, 0.6, 0.6]);
  cage.close(trunk.rings[0], [0.65, 0.4, 0.05, 0.05], false);
  cage.close(trunk.rings[trunk.rings.length - 1], [0.65, 0.5, 0.05, 0.05], true);
  // The muzzle comes out of the front of the face.
  const muzzle = cage.pull(
    [trunk.faces[8][5], trunk.faces[9][5]],
    (
      [
        [[0, 0.92, 0.205], 0.085, 0.062, half('head', 'muzzle')],
        [[0, 0.905, 0.265], 0.066, 0.046, whole('muzzle')],
        [[0, 0.895, 0.31], 0.03, 0.022, whole('muzzle')],
      ] as [Vec3, number, number, Shares][]
    ).map(([centre, across, upright, shares]) => ({
      centre,
      side: ACROSS,
      radii: [across * SWELL_SIX, upright * SWELL_SIX] as const,
      shares,
      along: [0, -0.2, 1] as Vec3,
    })),
    [0.65, 0.6, 0.15, 0.2],
  );
  cage.close(muzzle.rings[muzzle.rings.length - 1], [0.82, 0.6, 0.03, 0.03], true);
  for (const side of ['L', 'R'] as const) {
    pullFlipper(
      cage,
      [trunk.faces[FLIPPER_SEGMENTS[0]][FACE[side]], trunk.faces[FLIPPER_SEGMENTS[1]][FACE[side]]],
      side,
    );
    pullHind(cage, trunk.faces[HIND_SEGMENT][LOW_FACE[side]], side);
  }
  return cage;
}

function pullFlipper(cage: Cage, faces: number[], side: 'L' | 'R'): void {
  const at = (place: Vec3): Vec3 => (side === 'L' ? place : mirrored(place));
  const own = (name: string): string => `${name}_${side}`;
  const F = FLIPPER;
  const rows: [Vec3, number, number, Shares][] = [
    [lerp(F.shoulder, F.elbow, 0.62), 0.088, 0.034, { chest: 0.25, [own('shoulder')]: 0.75 }],
    [F.elbow, 0.088, 0.03, half(own('shoulder'), own('elbow'))],
    [lerp(F.elbow, F.wrist, 0.5), 0.084, 0.026, whole(own('elbow'))],
    [F.wrist, 0.08, 0.022, half(own('elbow'), own('wrist'))],
    [lerp(F.wrist, F.tip, 0.5), 0.07, 0.017, whole(own('wrist'))],
    [F.tip, 0.036, 0.009, whole(own('wrist'))],
  ];
  const rings = rows.map(([centre, broad, thick, shares]): Ring => ({
    centre: at(centre),
    side: [0, 0, 1],
    radii: [broad * SWELL_SIX, thick * SWELL_SIX],
    shares,
  }));
  const box = [side === 'L' ? 0.02 : 0.3, 0.02, 0.25, 0.3] as const;
  const pulled = cage.pull(faces, rings, box);
  cage.close(pulled.rings[pulled.rings.length - 1], [0.65, side === 'L' ? 0.02 : 0.1, 0.03, 0.03], true);
}

function pullHind(cage: Cage, face: number, side: 'L' | 'R'): void {
  const at = (place: Vec3): Vec3 => (side === 'L' ? place : mirrored(place));
  const own = (name: string): string => `${name}_${side}`;
  const rows: [Vec3, number, number, Shares][] = [
    [lerp(HIND.hind, HIND.hind_tip, 0.4), 0.052, 0.026, { pelvis: 0.2, [own('hind')]: 0.8 }],
    [HIND.hind_tip, 0.062, 0.018, half(own('hind'), own('hind_tip'))],
    [lerp(HIND.hind_tip, HIND.end, 0.6), 0.07, 0.013, whole(own('hind_tip'))],
    [HIND.end, 0.045, 0.008, whole(own('hind_tip'))],
  ];
  const rings = rows.map(([centre, broad, thick, shares]): Ring => ({
    centre: at(centre),
    side: at([1, 0, 0.7]),
    radii: [broad * SWELL_FOUR, thick * SWELL_FOUR],
    shares,
  }));
  const pulled = cage.pull([face], rings, [side === 'L' ? 0.7 : 0.85, 0.02, 0.12, 0.3]);
  cage.close(pulled.rings[pulled.rings.length - 1], [0.65, side === 'L' ? 0.2 : 0.26, 0.03, 0.03], true);
}

/** Two balls, each in its socket. */
function eyesCage(): Cage {
  const cage = new Cage();
  for (const side of [1, -1]) {
    const shares = whole(side > 0 ? 'eye_L' : 'eye_R');
    const centre: Vec3 = [side * 0.095, 0.955, 0.165];
    const r = 0.026;
    const ring = (z: number): Ring => ({
      centre: add(centre, [0, 0, z]),
      side: ACROSS,
      radii: [r * Math.SQRT2, r * Math.SQRT2],
      shares,
      along: [0, 0, 1],
    });
    const made = cage.loft([ring(-r), ring(r)], 4, [side > 0 ? 0.05 : 0.55, 0.05, 0.3, 0.6]);
    cage.close(made.rings[0], [side > 0 ? 0.05 : 0.55, 0.7, 0.1, 0.1], false);
    cage.close(made.rings[1], [side > 0 ? 0.2 : 0.7, 0.7, 0.1, 0.1], true);
  }
  return cage;
}

/** The porter's flat round cap, closed and stiff. */
function capCage(): Cage {
  const cage = new Cage();
  const rows: [number, number][] = [
    [1.0, 0.115],
    [1.03, 0.135],
    [1.085, 0.14],
    [1.1, 0.12],
  ];
  const rings = rows.map(([height, radius]): Ring => ({
    centre: [0, height, 0.06],
    side: ACROSS,
    radii: [radius * SWELL, radius * SWELL],
    shares: whole('head'),
    along: [0, 1, 0.1],
  }));
  const made = cage.loft(rings, 8, [0.05, 0.05, 0.7, 0.6]);
  cage.close(made.rings[0], [0.8, 0.05, 0.1, 0.1], false);
  cage.close(made.rings[made.rings.length - 1], [0.8, 0.2, 0.1, 0.1], true);
  return cage;
}

export interface PorterOptions {
  /** Without faults, the weights are the maker's own. */
  readonly faults: boolean;
}

/** The parts of the porter with their weights; with faults they come without any. */
export function makePorterMeshes({ faults }: PorterOptions): DemoMesh[] {
  const names = buildJoints(faults).map(({ name }) => name);
  const meshes = [
    withShapes(smoothMesh('body', bodyCage(), 2, names, [0.36, 0.4, 0.44])),
    smoothMesh('eyes', eyesCage(), 2, names, [0.05, 0.05, 0.06]),
    smoothMesh('cap', capCage(), 2, names, [0.42, 0.12, 0.1]),
  ];
  if (!faults) return meshes;
  for (const { weights } of meshes) for (const row of weights) row.clear();
  // The cap's faces look inward.
  const { quads } = meshes[2];
  for (let q = 0; q < quads.length; q += 4) [quads[q + 1], quads[q + 3]] = [quads[q + 3], quads[q + 1]];
  meshes[1] = withDoubledFaces(meshes[1], 12);
  return meshes;
}

/** Where a shape moves the body, how far about it, and what it does there; on both sides alike. */
const SHAPES: readonly { name: string; at: Vec3; reach: number; move: Vec3 }[] = [
  { name: 'cheeks puffed', at: [0.1, 0.9, 0.2], reach: 0.13, move: [0.045, 0, 0.012] },
  { name: 'belly in', at: [0.05, 0.42, 0.16], reach: 0.24, move: [0, 0, -0.05] },
];

function withShapes(mesh: DemoMesh): DemoMesh {
  const { positions } = mesh;
  const shapes = SHAPES.map(({ name, at, reach, move }) => ({
    name,
    moves: Float32Array.from(positions, (_, i) => {
      const p = i - (i % 3);
      // Either side has its own middle: the right one is the left one's mirror image.
      const side = positions[p] < 0 ? -1 : 1;
      const far = Math.hypot(side * positions[p] - at[0], positions[p + 1] - at[1], positions[p + 2] - at[2]);
      const share = Math.max(0, 1 - far / reach) ** 2;
      return share * move[i % 3] * (i % 3 === 0 ? side : 1);
    }),
  }));
  return { ...mesh, shapes };
}

/** The first faces once more in the same place, as a careless copy leaves them. */
function withDoubledFaces(mesh: DemoMesh, count: number): DemoMesh {
  return {
    ...mesh,
    quads: Uint32Array.from([...mesh.quads, ...mesh.quads.subarray(0, count * 4)]),
    uv: Float32Array.from([...mesh.uv, ...mesh.uv.subarray(0, count * 8)]),
  };
}

/** Names as somebody left them: one is another joint's, one is missing. */
const NAME_FAULTS: Readonly<Record<string, string>> = { eye_R: 'eye_L', hind_tip_R: '' };

/** One hind flipper was scaled, and the scale never applied. */
function scaledFault(name: string, matrix: readonly number[]): readonly number[] {
  return name === 'hind_L' ? matrix.map((n, i) => (i < 12 ? n * 1.5 : n)) : matrix;
}

/** The porter as a binary glTF. The same bytes at every call. */
export async function makePorter(options: PorterOptions): Promise<Uint8Array> {
  const skeleton = buildJoints(options.faults).map((joint) => ({
    name: joint.name,
    parent: joint.parent,
    matrix: options.faults ? scaledFault(joint.name, restMatrix(joint)) : restMatrix(joint),
  }));
  const rename = options.faults ? (name: string): string => NAME_FAULTS[name] ?? name : undefined;
  return writeGlb('The porter', skeleton, makePorterMeshes(options), [], rename);
}
