import 'fake-indexeddb/auto';
import { afterEach, beforeAll, beforeEach } from '@jest/globals';
import {
  decodeChange,
  editHeader,
  packFrame,
  unpackFrame,
  characterSettings,
  encodeChange,
  type CharacterAnswer,
  type EditsHeader,
} from '@judoka/contract';
import { computeNormals, findNeighbours, recoverQuads } from '@judoka/core/mesh';
import { type Change, createRows, type WeightRows } from '@judoka/core/weights';
import type { Character, CharacterPart } from '@judoka/core/document';
import type { Joint, Pose } from '@judoka/core/skeleton';
import type { ReadResult } from '../workers/reader.worker.ts';
import type { CharacterSession } from './CharacterSession.ts';

// For tests: a whole session on a small character, with the server simulated. Nothing is drawn, and other threads never
// answer.

type Entry = EditsHeader['entries'][number];

/** A server that keeps one character's log, and what else the page puts. */
export class SimulatedServer {
  readonly id = crypto.randomUUID();
  readonly log: { entry: Entry; change: Uint8Array }[] = [];
  /** The last body of each PUT, by what it is. */
  readonly put = new Map<string, unknown>();
  readonly selections: { id: string; name: string; parts: number[]; blobs: Uint8Array[] }[] = [];
  readonly poses: Record<string, unknown>[] = [];
  isAway = false;

  get head(): number {
    return this.log.length;
  }

  labels(): string[] {
    return this.log.map(({ entry }) => `${entry.kind} ${entry.label}`);
  }

  /** Somebody else's edit. */
  edit(label: string, change: Change): void {
    this.log.push({ entry: { id: crypto.randomUUID(), kind: 'edit', label }, change: encodeChange(change) });
  }

  /** What an edit that was sent does to the weights. */
  changeOf(index: number): Change {
    return decodeChange(this.log[index].change);
  }

  answer(path: string, init: RequestInit = {}): Response {
    if (this.isAway) throw new TypeError('no network');
    const method = init.method ?? 'GET';
    const [what, id] = path.replace(`/api/characters/${this.id}/`, '').split('/');
    const json = (body: unknown, status = 200): Response => new Response(JSON.stringify(body), { status });
    const bytes = (body: Uint8Array): Response => new Response(new Uint8Array(body));
    if (path === '/api/session') return json({});
    if (!path.includes(this.id))
      return json({ error: { code: 'not-found', message: 'No such character.', detail: {} } }, 404);
    if (method === 'PUT') {
      this.put.set(what, JSON.parse(init.body as string));
      return json({});
    }
    if (what.startsWith('motions')) return json({ motions: [] });
    if (what === 'poses') return this.#poses(method, id, init, json);
    if (what === 'selections') return this.#selections(method, id, init, json, bytes);
    if (what === 'edits' && method === 'POST') return this.#take(init.body as Uint8Array, json);
    if (what === 'edits') {
      const { entry, change } = this.log.find((one) => one.entry.id === id) ?? this.log[0];
      return bytes(packFrame(editHeader.parse({ joints: entry.joints ?? [] }), [change]));
    }
    const after = Number(new URL(path, 'http://here').searchParams.get('after'));
    const later = this.log.slice(after);
    const blobs = later.map(({ change }) => change);
    return bytes(packFrame({ head: this.head, entries: later.map(({ entry }) => entry) }, blobs));
  }

  #take(body: Uint8Array, json: (body: unknown, status?: number) => Response): Response {
    const { header, blobs } = unpackFrame(body);
    const { base, entries } = header as EditsHeader;
    if (base !== this.head)
      return json({ error: { code: 'edit-clash', message: 'Changed elsewhere.', detail: {} } }, 409);
    let at = 0;
    for (const entry of entries) {
      const target = this.log.find((one) => one.entry.id === entry.target);
      const change = entry.kind === 'edit' ? blobs[at++].slice() : (target?.change ?? new Uint8Array(0));
      this.log.push({ entry, change });
    }
    return json({ head: this.head });
  }

  #poses(
    method: string,
    id: string,
    init: RequestInit,
    json: (body: unknown, status?: number) => Response,
  ): Response {
    const body = init.body ? (JSON.parse(init.body as string) as Record<string, unknown>) : {};
    const at = this.poses.findIndex((pose) => pose.id === id);
    if (method === 'POST')
      this.poses.push({ id: crypto.randomUUID(), createdAt: new Date().toISOString(), ...body });
    if (method === 'PATCH') this.poses[at] = { ...this.poses[at], ...body };
    if (method === 'DELETE') this.poses.splice(at, 1);
    return json({ poses: this.poses });
  }

  #selections(
    method: string,
    id: string,
    init: RequestInit,
    json: (body: unknown, status?: number) => Response,
    bytes: (body: Uint8Array) => Response,
  ): Response {
    const at = this.selections.findIndex((one) => one.id === id);
    if (method === 'POST') {
      const { header, blobs } = unpackFrame(init.body as Uint8Array);
      const own = {
        id: crypto.randomUUID(),
        ...(header as { name: string; parts: number[] }),
        blobs: blobs.map((b) => b.slice()),
      };
      this.selections.push(own);
      return json({ id: own.id }, 201);
    }
    if (method === 'PATCH') Object.assign(this.selections[at], JSON.parse(init.body as string));
    if (method === 'DELETE') this.selections.splice(at, 1);
    const header = { selections: this.selections.map(({ blobs: _, ...rest }) => rest) };
    return bytes(
      packFrame(
        header,
        this.selections.flatMap(({ blobs }) => blobs),
      ),
    );
  }
}

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
      try {
        return Promise.resolve(server.answer(path, init));
      } catch (error) {
        return Promise.reject(error as Error);
      }
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

/** A tube from hand to hand, and a hat of two loose squares. */
function readBody(): { read: ReadResult; rows: WeightRows[] } {
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
  const character = {
    name: 'somebody',
    parts,
    skeleton: { joints },
    rows,
    clips: [],
    findings: [],
  } as unknown as Character;
  const neighbours = parts.map(({ polygonOffsets: offsets, polygonPoints: points, pointCount }) =>
    findNeighbours({ offsets, points }, pointCount),
  );
  return { read: { character, neighbours, trees: [] }, rows };
}

/** A session as it is opened, and the server that it talks to. */
interface Opened {
  readonly session: CharacterSession;
  readonly server: SimulatedServer;
}

/** A session of its own for every test of a file. */
export function openForEach(begin: (opened: Opened) => void): void {
  let opened: Opened | undefined;
  beforeAll(simulateBrowser);
  beforeEach(async () => {
    opened = await openTestSession();
    begin(opened);
  });
  afterEach(() => opened?.session.close());
}

async function openTestSession(): Promise<Opened> {
  server = new SimulatedServer();
  const { layOut } = await import('./openCharacter.ts');
  const answer = {
    id: server.id,
    name: 'Somebody',
    arrival: [],
    head: 0,
    history: [],
    pose: {},
    locks: [],
    still: [],
    settings: characterSettings.parse({}),
  } as unknown as CharacterAnswer;
  const { read, rows } = readBody();
  const session = await layOut(answer, read, rows, {});
  await session.kept.load();
  return { session, server };
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
export const weightsOf = ({ parts }: CharacterSession): { joints: number[]; values: number[] }[] =>
  parts.map(({ skin: { rows } }) => ({ joints: [...rows.joints], values: [...rows.values] }));

/** The points of rings of the body. */
export function ringPoints(...rings: number[]): Uint32Array {
  return Uint32Array.from(
    rings.flatMap((ring) => Array.from({ length: AROUND }, (_, a) => ring * AROUND + a)),
  ).sort();
}

/** Resolves when all edits are on the server. */
export async function saved(session: CharacterSession): Promise<void> {
  while (session.saveState.kind !== 'saved') await new Promise((resolve) => setTimeout(resolve, 5));
}
