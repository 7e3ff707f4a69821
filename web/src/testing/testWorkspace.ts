import 'fake-indexeddb/auto';
import { afterAll, afterEach, beforeAll, beforeEach } from '@jest/globals';
import { documentHeader } from '@judoka/contract';
import { computeNormals, findNeighbours, type Morph, recoverQuads } from '@judoka/core/mesh';
import { type Change, changeInfluence, createRows, OTHERS, type WeightRows } from '@judoka/core/weights';
import type { Clip } from '@judoka/core/animation';
import { editsOf, NO_SEAMS, type Character, type CharacterPart } from '@judoka/core/document';
import { fileJointId, type Joint, type Pose } from '@judoka/core/skeleton';
import type { ReadResult } from '../document/reading/reader.worker.ts';
import type { Workspace } from '../workspace/Workspace.ts';
import { closePorts, runWorkersInThread } from './inThreadWorkers.ts';
import { SimulatedServer } from './SimulatedServer.ts';

// For tests: a whole workspace on a small character, with the server simulated. Nothing is drawn, and other threads never
// answer.

let server: SimulatedServer;

/** The parts of a browser that a session asks for; before anything of the page is imported. */
function simulateBrowser(): void {
  Object.assign(globalThis, {
    addEventListener: () => undefined,
    removeEventListener: () => undefined,
    requestAnimationFrame: () => 0,
    cancelAnimationFrame: () => undefined,
    Worker: class {
      addEventListener = (): void => undefined;
      removeEventListener = (): void => undefined;
      postMessage = (): void => undefined;
      terminate = (): void => undefined;
    },
    fetch: (path: string, init?: RequestInit) => {
      return server.answer(path, init);
    },
  });
  Object.defineProperty(globalThis, 'navigator', { configurable: true, value: {} });
}

export const CHEST = 0;
export const ARM_L = 1;
export const HAND_L = 2;
export const ARM_R = 3;
export const HAND_R = 4;
const JOINTS: readonly [name: string, parent: number, x: number][] = [
  ['chest', -1, 0],
  ['arm_L', 0, 1],
  ['hand_L', 1, 2],
  ['arm_R', 0, -1],
  ['hand_R', 3, -2],
];
/** Rings of the tube from hand to hand, and points around each. */
export const RINGS = 25;
export const AROUND = 8;
export const BODY = 0;
export const HAT = 1;
/** Where ring `i` of the body stands. */
export const ringAt = (i: number): number => -3 + (6 * i) / (RINGS - 1);

const IDENTITY = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1];

function partOf(name: string, positions: number[], triangles: number[]): CharacterPart {
  const shape = Float32Array.from(positions);
  const corners = Uint32Array.from(triangles);
  const { offsets, points } = recoverQuads(corners, shape);
  const inverseBinds = new Float32Array((JOINTS.length + 1) * 16);
  JOINTS.forEach(([, , x], j) => inverseBinds.set([...IDENTITY.slice(0, 12), -x, 0, 0, 1], j * 16));
  inverseBinds.set(IDENTITY, JOINTS.length * 16);
  const pointCount = shape.length / 3;
  return {
    name,
    pointCount,
    vertexCount: pointCount,
    positions: shape,
    normals: computeNormals(shape, corners),
    vertexPoint: Uint32Array.from({ length: pointCount }, (_, p) => p),
    polygonOffsets: offsets,
    polygonPoints: points,
    triangles: corners,
    inverseBinds,
    role: 'skinned',
    source: { mesh: 0, primitive: 0, node: 0, skin: 0, jointOfSlot: JOINTS.map((_, j) => j) },
  };
}

/** A clip of one second: the left arm goes up by ninety degrees. */
/** A shape that raises the rings 15 to 17 of the body by a tenth. */
const RAISE: Morph = {
  name: 'raise',
  weight: 0,
  places: { 0: 0 },
  targets: [
    {
      part: BODY,
      vertices: Uint32Array.from({ length: 3 * AROUND }, (_, i) => 15 * AROUND + i),
      positions: Float32Array.from({ length: 9 * AROUND }, (_, i) => (i % 3 === 1 ? 0.1 : 0)),
    },
  ],
};

export const WAVE: Clip = {
  name: 'wave',
  seconds: 1,
  rate: 10,
  tracks: [
    {
      joint: ARM_L,
      path: 'rotation',
      interpolation: 'LINEAR',
      times: Float32Array.of(0, 1),
      values: Float32Array.of(0, 0, 0, 1, 0, 0, Math.SQRT1_2, Math.SQRT1_2),
    },
  ],
};

/** A tube from hand to hand, and a hat of two loose squares. */
export function readBody(): { read: ReadResult; rows: WeightRows[] } {
  const positions: number[] = [];
  const triangles: number[] = [];
  for (let ring = 0; ring < RINGS; ring++) {
    for (let a = 0; a < AROUND; a++) {
      const angle = (2 * Math.PI * a) / AROUND;
      positions.push(ringAt(ring), 0.4 * Math.cos(angle), 0.4 * Math.sin(angle));
      if (ring + 1 === RINGS) continue;
      const [p, q] = [ring * AROUND + a, ring * AROUND + ((a + 1) % AROUND)];
      triangles.push(p, q, q + AROUND, p, q + AROUND, p + AROUND);
    }
  }
  const squares = [0, 1].flatMap((s) => [
    -0.2,
    1 + s,
    -0.2,
    0.2,
    1 + s,
    -0.2,
    0.2,
    1 + s,
    0.2,
    -0.2,
    1 + s,
    0.2,
  ]);
  const parts = [
    partOf('body', positions, triangles),
    partOf('hat', squares, [0, 1, 2, 0, 2, 3, 4, 5, 6, 4, 6, 7]),
  ];
  const rows = parts.map(({ pointCount }) => createRows(pointCount));
  for (let p = 0; p < RINGS * AROUND; p++) {
    const x = ringAt(Math.floor(p / AROUND));
    const [arm, hand] = x > 0 ? [ARM_L, HAND_L] : [ARM_R, HAND_R];
    const far = Math.abs(x);
    // Halves where a joint stands, whole a quarter before and behind.
    const [near, next, share] = far < 1.5 ? [CHEST, arm, (far - 0.75) * 2] : [arm, hand, (far - 1.75) * 2];
    const own = Math.max(0, Math.min(1, share));
    const row = (
      [
        [near, 1 - own],
        [next, own],
      ] as const
    ).filter(([, w]) => w > 0);
    [...row]
      .sort((a, b) => b[1] - a[1])
      .forEach(([joint, weight], k) => {
        rows[BODY].joints[p * 8 + k] = joint;
        rows[BODY].values[p * 8 + k] = weight;
      });
  }
  for (let p = 0; p < 8; p++) rows[HAT].values[p * 8] = 1;
  const joints = JOINTS.map(([name, parent, x], node): Joint => {
    const side = name.endsWith('_L') ? 'left' : name.endsWith('_R') ? 'right' : 'middle';
    const above = parent < 0 ? 0 : JOINTS[parent][2];
    const translation = [x - above, 0, 0] as const;
    return {
      id: fileJointId(node),
      name,
      named: true,
      parent,
      side,
      offset: IDENTITY,
      translation,
      rotation: [0, 0, 0, 1],
      scale: [1, 1, 1],
      node,
    };
  });
  const character: Character = {
    parts,
    skeleton: { joints },
    rows,
    sourceWeights: parts.map(({ pointCount }) => ({
      sumMin: 1,
      sumMax: 1,
      maxInfluences: 2,
      scaled: 0,
      broken: 0,
      sums: new Float32Array(pointCount).fill(1),
      brokenVertices: new Uint8Array(pointCount),
      sumTolerance: 1e-3,
      seams: NO_SEAMS,
      asCame: new Uint8Array(pointCount).fill(1),
    })),
    clips: [WAVE],
    morphs: [RAISE],
    plainNodes: [],
    materialCount: 1,
    notes: [],
  };
  const neighbours = parts.map(({ polygonOffsets: offsets, polygonPoints: points, pointCount }) =>
    findNeighbours({ offsets, points }, pointCount),
  );
  return { read: { character, neighbours, trees: [] }, rows };
}

/** A workspace as it is opened, and the server that it talks to. */
interface Opened {
  readonly at: Workspace;
  readonly server: SimulatedServer;
}

/**
 * A workspace of its own for every test of a file.
 *
 * @param workers whether other threads answer; they run in the test's own then
 */
export function openForEach(begin: (opened: Opened) => void, { workers = false } = {}): void {
  let opened: Opened | undefined;
  beforeAll(() => {
    simulateBrowser();
    if (workers) runWorkersInThread();
  });
  afterAll(closePorts);
  beforeEach(async () => {
    opened = await openTestWorkspace();
    begin(opened);
  });
  afterEach(() => opened?.at.close());
}

/** Another workspace on the same server: as another person would open it. */
export async function openAnother(): Promise<Workspace> {
  const { layOut } = await import('../workspace/openWorkspace.ts');
  const { read } = readBody();
  return layOut(documentHeader.parse(server.header()), read, server.state.rows);
}

async function openTestWorkspace(): Promise<Opened> {
  const { read, rows } = readBody();
  server = new SimulatedServer(read.character.skeleton, rows);
  return { at: await openAnother(), server };
}

/** A pose that turns joints about an axis, by degrees. */
export function turned(turns: Readonly<Record<number, readonly ['x' | 'y' | 'z', number]>>): Pose {
  return Object.fromEntries(
    Object.entries(turns).map(([joint, [axis, degrees]]) => {
      const half = (degrees * Math.PI) / 360;
      const across = ['x', 'y', 'z'].map((one) => (one === axis ? Math.sin(half) : 0));
      const [x, y, z] = across;
      return [joint, { rotation: [x, y, z, Math.cos(half)], translation: [0, 0, 0], scale: [1, 1, 1] }];
    }),
  );
}

/** Copies of all weights, to be compared. */
export const weightsOf = ({ document }: Workspace): { joints: number[]; values: number[] }[] =>
  document.parts.map(({ rows }) => ({ joints: [...rows.joints], values: [...rows.values] }));

/** The labels of what can be undone, the oldest first. */
export const doneLabels = ({ document }: Workspace): string[] =>
  [...editsOf(document.history.done)].map(({ label }) => label).reverse();

/** Resolves when all edits are on the server. */
export async function saved({ document }: Workspace): Promise<void> {
  document.settle();
  while (document.saveState.kind !== 'saved') await new Promise((resolve) => setTimeout(resolve, 5));
}

/** The points of rings of the body. */
export function ringPoints(...rings: number[]): Uint32Array {
  return Uint32Array.from(
    rings.flatMap((ring) => Array.from({ length: AROUND }, (_, a) => ring * AROUND + a)),
  ).sort();
}

/** Resolves when something holds; it is looked at whenever the page could have gone on. */
export async function until(what: string, holds: () => boolean): Promise<void> {
  const late = performance.now() + 10_000;
  while (!holds()) {
    if (performance.now() > late) throw new Error(`It never came to pass that ${what}.`);
    await new Promise((resolve) => setTimeout(resolve, 5));
  }
}

/** The change that gives points of the body so much of a joint; the others keep their proportion. */
export function giveWeight(at: Workspace, points: Uint32Array, joint: number, weight: number): Change {
  const rules = { receiver: OTHERS, limit: 8, locks: at.document.locks };
  return [changeInfluence(BODY, at.scene.parts[BODY].skin.rows, points, joint, () => weight, rules).delta];
}
