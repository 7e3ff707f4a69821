import { MAX_CAGE_POINTS, MAX_COORDINATES } from '@judoka/core/deform';
import {
  boundBox,
  changeValues,
  checkFollows,
  counted,
  type Json,
  partPath,
  partPlace,
  savedCage,
} from '@judoka/core/document';
import { CoreError } from '@judoka/core/errors';
import { MIN_CAGE_POINTS, type CageRequest, type MadeCage } from '@judoka/core/operations/cage';
import { copyRows, createRows, DeltaBuilder, type WeightRows } from '@judoka/core/weights';
import * as Comlink from 'comlink';
import { Matrix4, Vector3 } from 'three';
import { needLaidOut } from '../../document/needLaidOut.ts';
import type { Editing } from '../../scene/Editing.ts';
import type { CageWorker } from './cage.worker.ts';

export interface CageWish {
  readonly parts: readonly number[];
  readonly points: number;
  /** The same on both sides of the body. */
  readonly isEven: boolean;
  /** Whether the parts follow it from then on. */
  readonly follow: boolean;
}

/** Cages of a character that are there, by part. */
export const cagesOf = ({ document }: Editing): number[] =>
  document.character.parts.flatMap(({ role, pointCount }, i) =>
    role === 'cage' && pointCount > 0 ? [i] : [],
  );

/** Parts that a cage can be made about: those with a surface, but for cages. */
export const partsToHold = ({ document }: Editing): number[] =>
  document.character.parts.flatMap(({ role, triangles }, i) =>
    role !== 'cage' && triangles.length > 0 ? [i] : [],
  );

/** How far the middle of parts may be off the body's, as a share of their width, for them to be on both sides. */
const OFF_MIDDLE = 0.1;

/** Whether parts are on both sides of the body alike. */
export function areOnBothSides({ document }: Editing, parts: readonly number[]): boolean {
  if (parts.length === 0) return true;
  const { axis, middle } = document.plane;
  const { least, most } = boundBox(parts.map((part) => document.character.parts[part]));
  return Math.abs((least[axis] + most[axis]) / 2 - middle) <= OFF_MIDDLE * (most[axis] - least[axis]);
}

/** How many points a cage about parts may have: more would be too much to follow. */
export function mostCagePoints({ document }: Editing, parts: readonly number[]): number {
  const largest = Math.max(1, ...parts.map((part) => document.character.parts[part].pointCount));
  return Math.min(MAX_CAGE_POINTS, Math.floor(MAX_COORDINATES / largest));
}

/**
 * Makes a cage about parts, as a part behind all others, moved by what moves them.
 * @throws CoreError with why not; DOMException `AbortError` when stopped
 */
export async function makeCageAbout(at: Editing, wish: CageWish, signal: AbortSignal): Promise<void> {
  const { document } = at;
  needLaidOut(document);
  const part = document.parts.length;
  const [like] = wish.parts;
  const names = wish.parts.length === 1 ? document.partName(like) : counted(wish.parts.length, 'part');
  const made = await inThread(requestOf(at, wish), signal);
  needLaidOut(document);
  const paths: Record<string, Json> = {
    [partPath(part, 'cage')]: { ...savedCage(like, inPart(at, like, made.positions), made.quads) },
    [partPath(part, 'name')]: freeName(at, `Cage of ${names}`),
  };
  if (wish.follow)
    for (const own of wish.parts) {
      checkFollows(document.settings.follows, own, part, (i) => document.partName(i));
      paths[partPath(own, 'follows')] = { driver: part };
      if (document.character.parts[own].role === 'fixed') paths[partPath(own, 'role')] = 'skinned';
    }
  await document.perform(`Make a cage about ${names}`, {
    values: changeValues(document.values, paths),
    weights: rowsChange(part, createRows(made.rows.pointCount, made.rows.stride), made.rows),
  });
  if (made.outside > 0)
    document.notify(
      `${counted(made.outside, 'point')} ${made.outside === 1 ? 'is' : 'are'} not within the cage: give it more points, or move its own under Check-in, Mesh.`,
    );
}

function requestOf(at: Editing, { parts, points, isEven }: CageWish): CageRequest {
  const { document } = at;
  const most = mostCagePoints(at, parts);
  if (parts.length === 0)
    throw new CoreError('argument-invalid', 'Choose the parts that the cage goes about.');
  if (most < MIN_CAGE_POINTS)
    throw new CoreError('argument-invalid', 'So large a part cannot follow a cage: choose smaller ones.');
  if (points > most)
    throw new CoreError('argument-invalid', `About so large a part a cage has at most ${most} points.`);
  const { axis, middle } = document.plane;
  return {
    bodies: parts.map((part) => ({
      surface: document.following.surface(part),
      rows: copyRows(document.parts[part].rows),
    })),
    points,
    ...(isEven && { across: { axis, middle } }),
  };
}

async function inThread(request: CageRequest, signal: AbortSignal): Promise<MadeCage> {
  const thread = new Worker(new URL('./cage.worker.ts', import.meta.url), { type: 'module' });
  try {
    const stopped = new Promise<never>((_, reject) => {
      signal.addEventListener('abort', () => reject(new DOMException('Stopped.', 'AbortError')), {
        once: true,
      });
      thread.addEventListener('error', ({ message }) =>
        reject(new Error(message || 'Making the cage stopped.')),
      );
    });
    const answer = await Promise.race([Comlink.wrap<CageWorker>(thread).make(request), stopped]);
    if (!answer.ok) throw new CoreError('argument-invalid', answer.message);
    return answer.cage;
  } finally {
    thread.terminate();
  }
}

/** Places of the scene in a part's own space. */
function inPart({ document }: Editing, part: number, places: Float32Array): Float32Array {
  const place = new Matrix4().fromArray(partPlace(document.character.parts[part]));
  if (place.determinant() === 0)
    throw new CoreError(
      'argument-invalid',
      `${document.partName(part)} has no extent: choose another part first.`,
    );
  const back = place.invert();
  const out = new Float32Array(places.length);
  const at = new Vector3();
  for (let i = 0; i < places.length; i += 3) at.fromArray(places, i).applyMatrix4(back).toArray(out, i);
  return out;
}

function freeName({ document }: Editing, wanted: string): string {
  const taken = new Set(document.character.parts.map((_, i) => document.partName(i)));
  for (let i = 1; ; i++) {
    const name = i === 1 ? wanted : `${wanted} ${i}`;
    if (!taken.has(name)) return name.slice(0, 120);
  }
}

function rowsChange(part: number, before: WeightRows, after: WeightRows) {
  const builder = new DeltaBuilder(part, after.stride, after.pointCount);
  for (let p = 0; p < after.pointCount; p++) builder.push(p, before, p, after, p);
  const delta = builder.finish();
  return delta.points.length > 0 ? [delta] : [];
}

/** Takes a cage away with all that is said of it; what follows it goes by its own weights. */
export async function takeCageAway({ document }: Editing, part: number): Promise<void> {
  needLaidOut(document);
  const gone = Object.keys(document.values).filter((path) => {
    const [section, key] = path.split('/');
    return ['parts', 'moved', 'pieces'].includes(section) && Number(key) === part;
  });
  const followers = Object.entries(document.settings.follows).filter(([, own]) => own?.driver === part);
  const paths = [...gone, ...followers.map(([own]) => partPath(Number(own), 'follows'))];
  const { rows } = document.parts[part];
  await document.perform(`Take ${document.partName(part)} away`, {
    values: changeValues(document.values, Object.fromEntries(paths.map((path) => [path, null]))),
    weights: rowsChange(part, rows, createRows(rows.pointCount, rows.stride)),
  });
}
