import { Cage, type Ring, type Shares, type UvBox } from '../cage.ts';
import { add, lerp, mirrored, type Vec3 } from '@judoka/core/math';
import { LEG, SPINE, TOES, WING } from './skeleton.ts';

const ACROSS: Vec3 = [1, 0, 0];
/** A ring of eight points lies this much inside its corners once it is smoothed; cages are drawn larger for it. */
const SWELL = 1.1;
/** The same for four and six points. */
const SWELL_FOUR = 1.32;
const SWELL_SIX = 1.18;

const half = (a: string, b: string): Shares => ({ [a]: 0.5, [b]: 0.5 });
const whole = (name: string): Shares => ({ [name]: 1 });

/** Rings of the trunk from tail to brow: place, half-axes across and upright, what they follow. */
function trunkRings(): Ring[] {
  const S = SPINE;
  const rows: [Vec3, number, number, Shares][] = [
    [[0, 0.552, -0.45], 0.028, 0.006, whole('tail_2')],
    [S.tail_2, 0.06, 0.015, half('tail_1', 'tail_2')],
    [lerp(S.tail_1, S.tail_2, 0.3), 0.064, 0.032, { tail_1: 0.85, pelvis: 0.15 }],
    [lerp(S.tail_1, S.pelvis, 0.35), 0.09, 0.068, { tail_1: 0.3, pelvis: 0.7 }],
    [lerp(S.tail_1, S.pelvis, 0.8), 0.12, 0.11, whole('pelvis')],
    [lerp(S.pelvis, S.spine_1, 0.55), 0.138, 0.132, { pelvis: 0.75, spine_1: 0.25 }],
    [lerp(S.spine_1, S.spine_2, 0.25), 0.146, 0.142, { pelvis: 0.15, spine_1: 0.75, spine_2: 0.1 }],
    [lerp(S.spine_1, S.spine_2, 0.95), 0.143, 0.142, half('spine_1', 'spine_2')],
    [lerp(S.spine_2, S.chest, 0.75), 0.132, 0.134, { spine_2: 0.4, chest: 0.6 }],
    [lerp(S.chest, S.neck_1, 0.35), 0.106, 0.112, whole('chest')],
    [lerp(S.chest, S.neck_1, 0.75), 0.078, 0.085, { chest: 0.85, neck_1: 0.15 }],
    [lerp(S.neck_1, S.neck_2, 0.12), 0.056, 0.06, half('chest', 'neck_1')],
    [lerp(S.neck_1, S.neck_2, 0.6), 0.045, 0.047, whole('neck_1')],
    [S.neck_2, 0.039, 0.04, half('neck_1', 'neck_2')],
    [lerp(S.neck_2, S.neck_3, 0.5), 0.036, 0.036, whole('neck_2')],
    [lerp(S.neck_3, S.neck_4, 0.5), 0.032, 0.032, whole('neck_3')],
    [lerp(S.neck_4, S.neck_5, 0.5), 0.03, 0.03, whole('neck_4')],
    [lerp(S.neck_5, S.neck_6, 0.5), 0.03, 0.03, whole('neck_5')],
    [S.neck_6, 0.031, 0.031, half('neck_5', 'neck_6')],
    [lerp(S.neck_6, S.head, 0.5), 0.034, 0.034, { neck_6: 0.85, head: 0.15 }],
    [S.head, 0.042, 0.042, { neck_6: 0.3, head: 0.7 }],
    [lerp(S.head, S.crown, 0.42), 0.047, 0.046, whole('head')],
    [lerp(S.head, S.crown, 0.8), 0.04, 0.037, whole('head')],
    [add(S.crown, [0, -0.006, 0.012]), 0.026, 0.022, whole('head')],
  ];
  return rows.map(([centre, across, upright, shares]) => ({
    centre,
    side: ACROSS,
    radii: [across * SWELL, upright * SWELL],
    shares,
  }));
}

/** Segment of the trunk out of which the legs come, and those of the wings; sides are numbered as Cage.loft does. */
const LEG_SEGMENT = 5;
const WING_SEGMENTS = [7, 8];
const LEG_FACE = { L: 6, R: 4 } as const;
const WING_FACE = { L: 7, R: 3 } as const;
/** The crest grows out of the top of the head. */
const CREST_SEGMENT = 20;
const CREST_FACE = 1;

/** The bird itself in one piece: trunk, neck and head, with wings, legs and toes pulled out of its faces. */
export function bodyCage(): Cage {
  const cage = new Cage();
  const trunk = cage.loft(trunkRings(), 8, [0.01, 0.01, 0.38, 0.98]);
  cage.close(trunk.rings[0], [0.94, 0.01, 0.03, 0.03], false);
  cage.close(trunk.rings[trunk.rings.length - 1], [0.94, 0.05, 0.03, 0.03], true);
  for (const side of ['L', 'R'] as const) {
    const column = side === 'L' ? 0.4 : 0.67;
    pullWing(
      cage,
      WING_SEGMENTS.map((s) => trunk.faces[s][WING_FACE[side]]),
      side,
      [column, 0.52, 0.25, 0.46],
    );
    pullLeg(cage, trunk.faces[LEG_SEGMENT][LEG_FACE[side]], side, column);
  }
  pullCrest(cage, trunk.faces[CREST_SEGMENT][CREST_FACE]);
  return cage;
}

/** Two long feathers in one, laid back over the neck. */
function pullCrest(cage: Cage, face: number): void {
  const rows: [Vec3, number, number][] = [
    [[0, 1.352, 0.25], 0.012, 0.01],
    [[0, 1.36, 0.2], 0.011, 0.006],
    [[0, 1.335, 0.12], 0.009, 0.004],
    [[0, 1.29, 0.05], 0.003, 0.002],
  ];
  const rings = rows.map(([centre, across, upright]): Ring => ({
    centre,
    side: ACROSS,
    radii: [across * SWELL_FOUR, upright * SWELL_FOUR],
    shares: whole('head'),
  }));
  const crest = cage.pull([face], rings, [0.7, 0.2, 0.1, 0.3]);
  cage.close(crest.rings[crest.rings.length - 1], [0.94, 0.1, 0.02, 0.02], true);
}

function pullWing(cage: Cage, faces: number[], side: 'L' | 'R', box: UvBox): void {
  const at = (place: Vec3): Vec3 => (side === 'L' ? place : mirrored(place));
  const own = (name: string): string => `${name}_${side}`;
  const W = WING;
  // Place, half chord, half thickness, how far the middle of the chord lies behind the bones.
  const rows: [Vec3, number, number, number, Shares][] = [
    [lerp(W.shoulder, W.elbow, 0.22), 0.062, 0.042, 0.008, { chest: 0.3, [own('shoulder')]: 0.7 }],
    [lerp(W.shoulder, W.elbow, 0.6), 0.062, 0.034, 0.018, whole(own('shoulder'))],
    [W.elbow, 0.07, 0.03, 0.022, half(own('shoulder'), own('elbow'))],
    [lerp(W.elbow, W.wrist, 0.5), 0.088, 0.025, 0.05, whole(own('elbow'))],
    [W.wrist, 0.1, 0.022, 0.08, half(own('elbow'), own('wrist'))],
    [W.hand, 0.096, 0.016, 0.08, half(own('wrist'), own('hand'))],
    [W.feathers, 0.074, 0.012, 0.055, half(own('hand'), own('feathers'))],
    [W.wingtip, 0.024, 0.005, 0.01, whole(own('feathers'))],
  ];
  const chord: Vec3 = at([0.1, -0.3, -1]);
  const rings = rows.map(([centre, chordHalf, thickHalf, back, shares]): Ring => ({
    centre: add(at(centre), [0, -back * 0.25, -back]),
    side: chord,
    radii: [chordHalf * SWELL_SIX, thickHalf * SWELL_SIX],
    shares,
  }));
  const pulled = cage.pull(faces, rings, box);
  cage.close(pulled.rings[pulled.rings.length - 1], [box[0] + box[2] + 0.005, box[1], 0.02, 0.02], true);
}

function pullLeg(cage: Cage, face: number, side: 'L' | 'R', column: number): void {
  const at = (place: Vec3): Vec3 => (side === 'L' ? place : mirrored(place));
  const own = (name: string): string => `${name}_${side}`;
  const L = LEG;
  const rows: [Vec3, number, Shares][] = [
    [lerp(L.hip, L.knee, 0.32), 0.05, { pelvis: 0.25, [own('hip')]: 0.75 }],
    [lerp(L.hip, L.knee, 0.68), 0.036, whole(own('hip'))],
    [L.knee, 0.024, half(own('hip'), own('knee'))],
    [lerp(L.knee, L.ankle, 0.25), 0.017, whole(own('knee'))],
    [lerp(L.knee, L.ankle, 0.82), 0.0135, whole(own('knee'))],
    [L.ankle, 0.0185, half(own('knee'), own('ankle'))],
    [lerp(L.ankle, L.foot, 0.25), 0.0135, whole(own('ankle'))],
    [lerp(L.ankle, L.foot, 0.97), 0.0145, half(own('ankle'), own('foot'))],
  ];
  const rings = rows.map(([centre, radius, shares]): Ring => ({
    centre: at(centre),
    side: ACROSS,
    radii: [radius * SWELL_FOUR, radius * SWELL_FOUR],
    shares,
  }));
  // The hub: two more rings, the last flat on the ground; its four sides become the toes.
  const down: Vec3 = [0, -1, 0];
  const hub: Ring[] = [0.034, 0.004].map((height) => ({
    centre: at([0.092, height, 0.002]),
    side: ACROSS,
    radii: [0.0215, 0.0215],
    shares: whole(own('foot')),
    along: down,
  }));
  const leg = cage.pull([face], [...rings, ...hub], [column, 0.2, 0.12, 0.3]);
  cage.close(leg.rings[leg.rings.length - 1], [column + 0.13, 0.2, 0.02, 0.02], true);
  const sides = leg.faces[leg.faces.length - 1];
  Object.entries(TOES).forEach(([toe, [from, to]], index) => {
    const tip = at(to);
    const start = at(from);
    const nearest = sides.reduce((best, faceIndex) =>
      facing(cage, faceIndex, start, tip) > facing(cage, best, start, tip) ? faceIndex : best,
    );
    pullToe(
      cage,
      nearest,
      own(toe),
      start,
      tip,
      [column + 0.06 * index, 0.02, 0.05, 0.15],
      toe === 'toe_middle' ? own('toe_middle_tip') : undefined,
    );
    sides.splice(sides.indexOf(nearest), 1);
  });
}

/** How much a face looks along the way from `start` to `tip`, on the ground. */
function facing(cage: Cage, face: number, start: Vec3, tip: Vec3): number {
  const corners = cage.faces[face].points.map((p) => cage.points[p].position);
  const middle = corners.reduce<Vec3>((sum, corner) => add(sum, corner), [0, 0, 0]).map((x) => x / 4);
  const hubX = Math.sign(start[0]) * 0.092;
  const [fx, fz] = [middle[0] - hubX, middle[2] - 0.002];
  const [dx, dz] = [tip[0] - hubX, tip[2] - 0.002];
  return (fx * dx + fz * dz) / (Math.hypot(fx, fz) * Math.hypot(dx, dz));
}

function pullToe(
  cage: Cage,
  face: number,
  joint: string,
  start: Vec3,
  tip: Vec3,
  box: UvBox,
  tipJoint?: string,
): void {
  const foot = joint.replace(/toe_(inner|middle|outer|back)/, 'foot');
  const end = tipJoint ?? joint;
  const rows: [number, number, Shares][] = [
    [0.22, 0.0118, half(foot, joint)],
    ...(tipJoint ? [[0.55, 0.01, half(joint, tipJoint)] as [number, number, Shares]] : []),
    [0.92, 0.0075, whole(end)],
  ];
  const rings = rows.map(([t, radius, shares]): Ring => ({
    centre: lerp(start, tip, t),
    side: [0, 1, 0],
    radii: [radius * SWELL_FOUR, radius * SWELL_FOUR],
    shares,
  }));
  const toe = cage.pull([face], rings, box);
  cage.close(toe.rings[toe.rings.length - 1], [box[0] + 0.05, box[1], 0.008, 0.008], true);
}
