import { Cage, type Ring, type Shares } from '../cage.ts';
import { restMatrix, type DemoJoint } from '../demoJoint.ts';
import { smoothMesh, type DemoMesh } from '../demoMesh.ts';
import { lerp, mirrored, normalize, subtract, type Vec3 } from '@judoka/core/math';
import { writeGlb } from '../writeGlb.ts';
import { FACE_JOINTS, weighFace } from './actorFace.ts';

/**
 * The actor, a body for tests and not for the shelf: upright, with two legs and arms, fingers, and a face of many small
 * joints. Metres, +y up, looking along +z.
 */
export interface ActorOptions {
  /** Torso, head and each leg are parts of their own, which share places along their rims. */
  readonly isSplit?: boolean;
  /** Legs hang below a joint that is the spine's sibling, and a neck has three joints. */
  readonly hasSiblingPelvis?: boolean;
  /** How often the cage is smoothed. */
  readonly level?: number;
}

const ACROSS: Vec3 = [1, 0, 0];
const SWELL = 1.1;
const SWELL_SIX = 1.18;
const SWELL_FOUR = 1.32;

const HEAD: Vec3 = [0, 1.5, 0.01];
const CROWN: Vec3 = [0, 1.76, 0.01];
const TRUNK: readonly (readonly [string, Vec3])[] = [
  ['hips', [0, 0.94, 0]],
  ['spine', [0, 1.05, -0.01]],
  ['chest', [0, 1.22, -0.015]],
  ['neck', [0, 1.42, -0.01]],
  ['head', HEAD],
];
const ARM: readonly (readonly [string, Vec3])[] = [
  ['collar', [0.05, 1.37, 0]],
  ['upper_arm', [0.17, 1.37, -0.01]],
  ['forearm', [0.42, 1.36, -0.01]],
  ['hand', [0.66, 1.355, 0]],
];
const FINGERS: readonly (readonly [string, Vec3, Vec3])[] = [
  ['thumb', [0.75, 1.355, 0.035], [0.81, 1.355, 0.045]],
  ['index', [0.75, 1.355, -0.035], [0.81, 1.355, -0.045]],
];
const LEG: readonly (readonly [string, Vec3])[] = [
  ['thigh', [0.095, 0.88, 0]],
  ['shin', [0.1, 0.48, 0.015]],
  ['foot', [0.1, 0.085, -0.02]],
  ['toes', [0.105, 0.035, 0.1]],
];

function buildJoints({ hasSiblingPelvis = false }: ActorOptions): DemoJoint[] {
  const joints: DemoJoint[] = [];
  const put = (name: string, parent: string | null, place: Vec3, end: Vec3): void => {
    const aim = normalize(subtract(end, place));
    joints.push({ name, parent, place, aim, hinge: Math.abs(aim[0]) > 0.7 ? [0, 0, 1] : ACROSS });
  };
  put('root', null, [0, 0, 0], [0, 1, 0]);
  TRUNK.forEach(([name, place], i) => {
    const parent = i === 0 || (hasSiblingPelvis && i === 1) ? 'root' : TRUNK[i - 1][0];
    put(name, parent, place, TRUNK[i + 1]?.[1] ?? CROWN);
  });
  for (const { name, parent, place, end } of FACE_JOINTS) put(name, parent, place, end);
  for (const side of ['L', 'R'] as const) {
    const at = (place: Vec3): Vec3 => (side === 'L' ? place : mirrored(place));
    const chain = (limb: typeof ARM, above: string, end: Vec3): void =>
      limb.forEach(([name, place], i) =>
        put(
          `${name}_${side}`,
          i === 0 ? above : `${limb[i - 1][0]}_${side}`,
          at(place),
          at(limb[i + 1]?.[1] ?? end),
        ),
      );
    chain(ARM, 'chest', [0.78, 1.355, 0]);
    chain(LEG, 'hips', [0.11, 0.02, 0.17]);
    for (const [name, first, last] of FINGERS) {
      put(`${name}_1_${side}`, `hand_${side}`, at(first), at(last));
      put(`${name}_2_${side}`, `${name}_1_${side}`, at(last), at(lerp(first, last, 2)));
    }
  }
  return joints;
}

const whole = (name: string): Shares => ({ [name]: 1 });
const blend = (a: string, b: string, share = 0.5): Shares => ({ [a]: 1 - share, [b]: share });

/** Sides of the trunk that face left, right and the front; numbered as Cage.loft does. */
const SIDES = { L: [6, 7, 0], R: [2, 3, 4] } as const;
const FLANK = { L: 7, R: 3 } as const;
/** Segments of the trunk below which legs, and out of which arms come; above the last is the head. */
const LEG_SEGMENT = 0;
const ARM_SEGMENTS = [5, 6];

function bodyCage(): Cage {
  const cage = new Cage();
  const rows: [number, number, number, Shares][] = [
    [0.86, 0.13, 0.09, whole('hips')],
    [0.95, 0.165, 0.105, whole('hips')],
    [1.03, 0.14, 0.095, blend('hips', 'spine')],
    [1.13, 0.135, 0.095, blend('spine', 'chest', 0.3)],
    [1.22, 0.15, 0.105, blend('spine', 'chest')],
    [1.31, 0.165, 0.11, whole('chest')],
    [1.36, 0.155, 0.1, whole('chest')],
    [1.41, 0.1, 0.08, blend('chest', 'neck')],
    [1.45, 0.06, 0.062, whole('neck')],
    [1.5, 0.058, 0.066, blend('neck', 'head')],
    [1.53, 0.075, 0.095, whole('head')],
    [1.57, 0.084, 0.106, whole('head')],
    [1.6, 0.088, 0.11, whole('head')],
    [1.63, 0.09, 0.11, whole('head')],
    [1.67, 0.09, 0.107, whole('head')],
    [1.72, 0.072, 0.085, whole('head')],
    [1.755, 0.03, 0.035, whole('head')],
  ];
  const rings = rows.map(([y, across, deep, shares]): Ring => ({
    centre: [0, y, 0.005],
    side: ACROSS,
    radii: [across * SWELL, deep * SWELL],
    shares,
    along: [0, 1, 0],
  }));
  const trunk = cage.loft(rings, 8, [0.02, 0.35, 0.6, 0.6]);
  cage.close(trunk.rings[0], [0.65, 0.4, 0.05, 0.05], false);
  cage.close(trunk.rings[trunk.rings.length - 1], [0.65, 0.5, 0.05, 0.05], true);
  for (const side of ['L', 'R'] as const) {
    pullLeg(
      cage,
      SIDES[side].map((k) => trunk.faces[LEG_SEGMENT][k]),
      side,
    );
    pullArm(
      cage,
      ARM_SEGMENTS.map((segment) => trunk.faces[segment][FLANK[side]]),
      side,
    );
  }
  return cage;
}

type Row = readonly [Vec3, number, number, Shares];

function pullRows(cage: Cage, faces: readonly number[], rows: readonly Row[], side: Vec3, swell: number) {
  const rings = rows.map(([centre, broad, thick, shares]): Ring => ({
    centre,
    side,
    radii: [broad * swell, thick * swell],
    shares,
  }));
  return cage.pull(faces, rings, [0.02, 0.02, 0.25, 0.3]);
}

function pullLeg(cage: Cage, faces: number[], side: 'L' | 'R'): void {
  const at = (place: Vec3): Vec3 => (side === 'L' ? place : mirrored(place));
  const own = (name: string): string => `${name}_${side}`;
  const [[, hip], [, knee], [, ankle], [, ball]] = LEG;
  const rows: Row[] = [
    [at(lerp(hip, knee, 0.2)), 0.085, 0.085, blend('hips', own('thigh'), 0.75)],
    [at(lerp(hip, knee, 0.5)), 0.075, 0.078, whole(own('thigh'))],
    [at(lerp(hip, knee, 0.85)), 0.06, 0.065, blend(own('thigh'), own('shin'), 0.15)],
    [at(knee), 0.056, 0.06, blend(own('thigh'), own('shin'))],
    [at(lerp(knee, ankle, 0.2)), 0.055, 0.06, whole(own('shin'))],
    [at(lerp(knee, ankle, 0.7)), 0.042, 0.045, whole(own('shin'))],
    [at(ankle), 0.04, 0.045, blend(own('shin'), own('foot'))],
    [at([0.1, 0.05, 0.04]), 0.045, 0.04, whole(own('foot'))],
    [at(ball), 0.045, 0.028, blend(own('foot'), own('toes'))],
    [at([0.107, 0.025, 0.165]), 0.03, 0.018, whole(own('toes'))],
  ];
  const made = pullRows(cage, faces, rows, ACROSS, SWELL);
  cage.close(made.rings[made.rings.length - 1], [0.65, 0.1, 0.03, 0.03], true);
}

function pullArm(cage: Cage, faces: number[], side: 'L' | 'R'): void {
  const at = (place: Vec3): Vec3 => (side === 'L' ? place : mirrored(place));
  const own = (name: string): string => `${name}_${side}`;
  const [, [, shoulder], [, elbow], [, wrist]] = ARM;
  const rows: Row[] = [
    [
      at(lerp(shoulder, elbow, 0.15)),
      0.055,
      0.05,
      { chest: 0.2, [own('collar')]: 0.2, [own('upper_arm')]: 0.6 },
    ],
    [at(lerp(shoulder, elbow, 0.55)), 0.046, 0.044, whole(own('upper_arm'))],
    [at(lerp(shoulder, elbow, 0.9)), 0.04, 0.038, blend(own('upper_arm'), own('forearm'), 0.25)],
    [at(lerp(elbow, wrist, 0.1)), 0.039, 0.037, blend(own('upper_arm'), own('forearm'), 0.75)],
    [at(lerp(elbow, wrist, 0.55)), 0.035, 0.032, whole(own('forearm'))],
    [at(wrist), 0.028, 0.024, blend(own('forearm'), own('hand'))],
    [at([0.74, 1.355, 0]), 0.046, 0.018, whole(own('hand'))],
  ];
  const made = pullRows(cage, faces, rows, [0, 0, 1], SWELL_SIX);
  const before = cage.faces.length;
  cage.close(made.rings[made.rings.length - 1], [0.65, 0.02, 0.03, 0.03], true);
  // The palm ends in two quads, one before the other: a finger of each.
  const depth = (face: number): number =>
    cage.faces[face].points.reduce((sum, p) => sum + cage.points[p].position[2], 0);
  const ends = [...cage.faces.keys()].slice(before).sort((a, b) => depth(b) - depth(a));
  FINGERS.forEach(([name, first, last], i) => {
    const one = own(`${name}_1`);
    const two = own(`${name}_2`);
    const fingers: Row[] = [
      [at(lerp(first, last, 0.3)), 0.012, 0.011, blend(own('hand'), one, 0.75)],
      [at(last), 0.011, 0.01, blend(one, two)],
      [at(lerp(first, last, 1.8)), 0.008, 0.007, whole(two)],
    ];
    const tip = pullRows(cage, [ends[i]], fingers, [0, 0, 1], SWELL_FOUR);
    cage.close(tip.rings[tip.rings.length - 1], [0.65, 0.06, 0.03, 0.03], true);
  });
}

const SPLITS: readonly (readonly [string, (place: Vec3) => boolean])[] = [
  ['head', ([, y]) => y > 1.47],
  ['left leg', ([x, y]) => y < 0.82 && x > 0],
  ['right leg', ([, y]) => y < 0.82],
  ['torso', () => true],
];

/** The same surface as several meshes, each with points of its own. */
function split(mesh: DemoMesh): DemoMesh[] {
  const { positions, quads, uv, weights } = mesh;
  const placeOf = (p: number): Vec3 => [positions[p * 3], positions[p * 3 + 1], positions[p * 3 + 2]];
  const pieceOf = (q: number): string => {
    const middle = [0, 1, 2, 3].map((k) => placeOf(quads[q * 4 + k])).reduce((a, b) => lerp(a, b, 0.5));
    return SPLITS.find(([, holds]) => holds(middle))?.[0] ?? '';
  };
  const pieces = Array.from({ length: quads.length / 4 }, (_, q) => pieceOf(q));
  return SPLITS.map(([name]) => {
    const own = [...pieces.keys()].filter((q) => pieces[q] === name);
    const corners = own.flatMap((q) => [...quads.subarray(q * 4, q * 4 + 4)]);
    const points = [...new Set(corners)];
    const numbers = new Map(points.map((p, i) => [p, i]));
    return {
      ...mesh,
      name,
      positions: Float32Array.from(points.flatMap(placeOf)),
      quads: Uint32Array.from(corners, (p) => numbers.get(p) ?? 0),
      uv: Float32Array.from(own.flatMap((q) => [...uv.subarray(q * 8, q * 8 + 8)])),
      weights: points.map((p) => new Map(weights[p])),
    };
  });
}

/** The actor as a binary glTF, well painted. The same bytes at every call. */
export async function makeActor(options: ActorOptions = {}): Promise<Uint8Array> {
  const joints = buildJoints(options);
  const names = joints.map(({ name }) => name);
  const body = smoothMesh('body', bodyCage(), options.level ?? 2, names, [0.5, 0.4, 0.36]);
  weighFace(body, names);
  const skeleton = joints.map((joint) => ({
    name: joint.name,
    parent: joint.parent,
    matrix: restMatrix(joint),
  }));
  return writeGlb('The actor', skeleton, options.isSplit ? split(body) : [body], []);
}
