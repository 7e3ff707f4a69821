import { CoreError } from '../../errors.ts';
import { boundBox, boundPositions, longestSide } from '../../document/space/boundSpace.ts';
import type { CharacterPart } from '../../document/character.ts';
import { computeNormals } from '../../mesh/normals.ts';
import { findIslands, findNeighbours, type Islands } from '../../mesh/topology.ts';
import type { Change, Delta } from '../../weights/delta.ts';
import { rewritePoints, type RewriteRules } from '../../weights/rewritePoints.ts';
import { influenceCount, influencesOf, type WeightRows } from '../../weights/rows.ts';
import { movedPlaces } from './alignment.ts';
import { fillGaps } from './fillGaps.ts';
import { MixedRow } from './mixedRow.ts';
import { Slopes, type SlopedSurface } from './slopes.ts';
import { matchSurface, type Gates } from './matchSurface.ts';
import type { SourcePart, TransferSource } from './source.ts';

/** How a point got its weights. */
export const TransferState = {
  /** Not asked for, or nothing was found. */
  none: 0,
  matched: 1,
  filled: 2,
  /** On an island without any trusted counterpart: from the nearest place, however far. */
  far: 3,
  /** On a rigid piece: what most of it got. */
  rigid: 4,
} as const;

/** What is larger than this share of all points is no rigid piece, unless somebody says so. */
const MAX_PIECE = 0.3;
export const DEFAULT_DISTANCE = 0.05;
export const DEFAULT_ANGLE = 60;

export interface TransferRequest {
  readonly source: TransferSource;
  /** Source joint → target joint; -1 for none, its weight goes to the others. */
  readonly joints: Int32Array;
  /** Float32Array, 16: source bound space → target bound space. */
  readonly matrix: Float32Array;
  /** Instead of moved by the matrix: where the source parts' points are, in target bound space; one a source part. */
  readonly placed?: readonly Float32Array[];
  /** How far a counterpart may be, as a share of the target's size. */
  readonly distance: number;
  /** How much its normal may differ, in degrees. */
  readonly angle: number;
  /** By part, the points that get weights, rising; all of every skinned part where missing. */
  readonly points?: ReadonlyMap<number, Uint32Array>;
  /** Source parts for each target part, as numbers in `source.parts`; those of the same name, else all, where missing. */
  readonly partsFor?: ReadonlyMap<number, readonly number[]>;
  /** Parts that are one rigid piece, however large. */
  readonly rigidParts?: ReadonlySet<number>;
  readonly rules: RewriteRules;
  readonly watch?: (share: number) => void;
}

export interface TransferReport {
  /** By part: Uint8Array, pointCount, of {@link TransferState}. */
  readonly states: ReadonlyMap<number, Uint8Array>;
  readonly matched: number;
  readonly filled: number;
  readonly far: number;
  readonly rigid: number;
  /** Points that stayed as they were, since nothing could give them weight. */
  readonly held: number;
}

/**
 * Gives a character the weights of another surface: by the nearest place that faces the same way; what has no counterpart
 * that can be trusted is filled from the surface around it by solving. Pieces that follow one joint alone stay rigid.
 *
 * @throws CoreError argument-invalid if the source has no weights, no joint a counterpart, or nothing is asked for
 */
export async function transferWeights(
  parts: readonly CharacterPart[],
  rowsOfPart: readonly WeightRows[],
  request: TransferRequest,
): Promise<{ change: Change; report: TransferReport }> {
  checkRequest(request);
  const { points, watch = () => undefined } = request;
  const size = longestSide(boundBox(parts)) || 1;
  const gates = { distance: request.distance * size, angle: request.angle };
  const meant = parts
    .map((_, part) => part)
    .filter((part) => parts[part].role === 'skinned' && (points === undefined || points.has(part)));
  if (meant.length === 0)
    throw new CoreError('argument-invalid', 'Nothing is chosen that could get weights.');
  const total = meant.reduce((sum, part) => sum + parts[part].pointCount, 0);
  const change: Delta[] = [];
  const states = new Map<number, Uint8Array>();
  const counts = { matched: 0, filled: 0, far: 0, rigid: 0, held: 0 };
  const placed =
    request.placed ?? request.source.parts.map(({ positions }) => movedPlaces(positions, request.matrix));
  for (const [i, part] of meant.entries()) {
    const list = points?.get(part) ?? Uint32Array.from({ length: parts[part].pointCount }, (_, p) => p);
    const pieceSize = request.rigidParts?.has(part) ? Infinity : MAX_PIECE * total;
    const transfer = new PartTransfer(parts[part], rowsOfPart[part], list, request, placed, gates, pieceSize);
    await transfer.run(sourcePartsFor(parts[part], part, request), (share) =>
      watch((i + share) / meant.length),
    );
    const { delta, held } = rewritePoints(
      part,
      rowsOfPart[part],
      transfer.written(),
      request.rules,
      (p, c) => {
        for (const [joint, weight] of transfer.rows[p] ?? []) {
          c.joints[c.count] = joint;
          c.values[c.count++] = weight;
        }
      },
    );
    if (delta.points.length > 0) change.push(delta);
    states.set(part, transfer.states);
    for (const p of list) {
      const state = transfer.states[p];
      if (state === TransferState.matched) counts.matched++;
      else if (state === TransferState.filled) counts.filled++;
      else if (state === TransferState.far) counts.far++;
      else if (state === TransferState.rigid) counts.rigid++;
      else counts.held++;
    }
    counts.held += held;
  }
  return { change, report: { states, ...counts } };
}

function checkRequest({ source, joints, distance, angle }: TransferRequest): void {
  if (source.parts.length === 0)
    throw new CoreError('argument-invalid', 'The source has no weights that could be taken.');
  if (!joints.some((joint) => joint >= 0))
    throw new CoreError(
      'argument-invalid',
      'No joint of the source has a counterpart. Choose some in the table of joints first.',
    );
  if (!(distance > 0 && distance <= 1 && angle > 0 && angle <= 180))
    throw new CoreError(
      'argument-invalid',
      'The distance is above 0 and at most 1, the angle 1 to 180 degrees.',
    );
}

const plain = (name: string): string => name.toLowerCase().replace(/[^\p{L}\d]/gu, '');

/** The parts that a part takes its weights from. */
function sourcePartsFor(
  part: CharacterPart,
  index: number,
  { source, partsFor }: TransferRequest,
): readonly number[] {
  const given = partsFor?.get(index);
  if (given && given.length > 0) return given;
  const all = source.parts.map((_, i) => i);
  const same = all.filter((i) => plain(source.parts[i].name) === plain(part.name));
  return same.length > 0 ? same : all;
}

type Row = readonly (readonly [number, number])[];

/** One part on its way to other weights. */
class PartTransfer {
  readonly states: Uint8Array;
  readonly rows: (Row | undefined)[];
  readonly #part: CharacterPart;
  readonly #own: WeightRows;
  readonly #points: Uint32Array;
  readonly #request: TransferRequest;
  readonly #placed: readonly Float32Array[];
  readonly #gates: Gates;
  readonly #positions: Float32Array;
  /** Points that an island may have and still be a rigid piece. */
  readonly #pieceSize: number;
  readonly #mixed = new MixedRow();

  constructor(
    part: CharacterPart,
    own: WeightRows,
    points: Uint32Array,
    request: TransferRequest,
    placed: readonly Float32Array[],
    gates: Gates,
    pieceSize: number,
  ) {
    this.#pieceSize = pieceSize;
    this.#part = part;
    this.#own = own;
    this.#points = points;
    this.#request = request;
    this.#placed = placed;
    this.#gates = gates;
    this.#positions = boundPositions(part);
    this.states = new Uint8Array(part.pointCount);
    this.rows = new Array<Row | undefined>(part.pointCount);
  }

  async run(sourceParts: readonly number[], watch: (share: number) => void): Promise<void> {
    const surface = gatherSource(sourceParts, this.#request.source.parts, this.#placed);
    const normals = computeNormals(this.#positions, this.#part.triangles);
    this.#match(normals, surface, this.#points, this.#gates, TransferState.matched);
    watch(0.5);
    await this.#fill(watch);
    const left = this.#points.filter((p) => this.states[p] === TransferState.none);
    if (left.length > 0) {
      const far = { distance: Infinity, angle: 180 };
      this.#match(normals, surface, left, far, TransferState.far);
    }
    this.#keepRigid();
  }

  /** Points that have new weights, rising. */
  written(): Uint32Array {
    return this.#points.filter((p) => (this.rows[p]?.length ?? 0) > 0);
  }

  #match(
    normals: Float32Array,
    surface: GatheredSource,
    points: Uint32Array,
    gates: Gates,
    state: number,
  ): void {
    const match = matchSurface(this.#positions, normals, points, surface, gates);
    for (const p of points) {
      const triangle = match.triangles[p];
      if (triangle < 0) continue;
      const row = this.#mix(surface, triangle, match.shares, p);
      if (row.length === 0) continue;
      this.rows[p] = row;
      this.states[p] = state;
    }
  }

  /** What a place between the corners of a triangle has, by joints of the target. */
  #mix(surface: GatheredSource, triangle: number, shares: Float32Array, p: number): Row {
    const { joints } = this.#request;
    const row: [number, number][] = [];
    let sum = 0;
    const mixed = this.#mixed;
    mixAt(surface, triangle, shares[p * 3], shares[p * 3 + 1], shares[p * 3 + 2], mixed);
    for (let k = 0; k < mixed.count; k++) {
      const joint = joints[mixed.joints[k]];
      const weight = mixed.weights[k];
      if (joint < 0 || weight <= 0) continue;
      sum += weight;
      const held = row.find((each) => each[0] === joint);
      if (held) held[1] += weight;
      else row.push([joint, weight]);
    }
    return sum > 0 ? row.map(([joint, weight]) => [joint, weight / sum]) : [];
  }

  /** What was not matched is filled; points that were not asked for say what they have at the rim. */
  async #fill(watch: (share: number) => void): Promise<void> {
    const unknown = this.#points.filter((p) => this.states[p] === TransferState.none);
    if (unknown.length === 0) return;
    const known = [...this.rows];
    const asked = new Uint8Array(known.length);
    for (const p of this.#points) asked[p] = 1;
    for (let p = 0; p < known.length; p++)
      if (asked[p] === 0 && influenceCount(this.#own, p) > 0)
        known[p] = influencesOf(this.#own, p).map(({ joint, weight }) => [joint, weight] as const);
    const { triangles, pointCount } = this.#part;
    const surface = { positions: this.#positions, triangles, pointCount };
    const filled = await fillGaps(surface, known, unknown, (share) => watch(0.5 + 0.5 * share));
    for (const [p, row] of filled) {
      if (row.length === 0) continue;
      this.rows[p] = row;
      this.states[p] = TransferState.filled;
    }
  }

  /** Islands that follow one joint alone get one joint again: the one that most of their weight went to. */
  #keepRigid(): void {
    const { polygonOffsets: offsets, polygonPoints: points, pointCount } = this.#part;
    const islands = findIslands(findNeighbours({ offsets, points }, pointCount));
    const isRigid = rigidIslands(this.#own, islands, this.#pieceSize);
    const sums = new Map<number, Map<number, number>>();
    for (const p of this.#points) {
      const island = islands.ofPoint[p];
      if (island < 0 || !isRigid[island]) continue;
      let own = sums.get(island);
      if (!own) sums.set(island, (own = new Map<number, number>()));
      for (const [joint, weight] of this.rows[p] ?? []) own.set(joint, (own.get(joint) ?? 0) + weight);
    }
    for (const p of this.#points) {
      const own = sums.get(islands.ofPoint[p]);
      if (!own || own.size === 0) continue;
      const [joint] = [...own].reduce((a, b) => (b[1] > a[1] ? b : a));
      this.rows[p] = [[joint, 1]];
      this.states[p] = TransferState.rigid;
    }
  }
}

/** Whether each island follows one joint alone now, and is no more than a piece: bodies that nobody has bound do so too. */
function rigidIslands(rows: WeightRows, { ofPoint, count }: Islands, pieceSize: number): boolean[] {
  const sizes = new Uint32Array(count);
  for (const island of ofPoint) if (island >= 0) sizes[island]++;
  const joint = new Int32Array(count).fill(-1);
  const isRigid = Array.from(sizes, (size) => size <= pieceSize);
  for (let p = 0; p < rows.pointCount; p++) {
    const island = ofPoint[p];
    if (island < 0) continue;
    const first = p * rows.stride;
    if (rows.values[first] < 1 || (joint[island] >= 0 && joint[island] !== rows.joints[first]))
      isRigid[island] = false;
    joint[island] = rows.joints[first];
  }
  return isRigid;
}

/** Several source parts as one surface. */
interface GatheredSource extends SlopedSurface {
  readonly slopes: Slopes;
}

function gatherSource(
  listed: readonly number[],
  parts: readonly SourcePart[],
  placed: readonly Float32Array[],
): GatheredSource {
  const first = [0];
  for (const i of listed) first.push(first[first.length - 1] + parts[i].positions.length / 3);
  const positions = new Float32Array(first[listed.length] * 3);
  const triangles = new Uint32Array(listed.reduce((sum, i) => sum + parts[i].triangles.length, 0));
  let at = 0;
  listed.forEach((i, k) => {
    positions.set(placed[i], first[k] * 3);
    for (const corner of parts[i].triangles) triangles[at++] = corner + first[k];
  });
  const surface: SlopedSurface = {
    positions,
    triangles,
    rows: (point) => {
      let k = 0;
      while (point >= first[k + 1]) k++;
      return [parts[listed[k]].rows, point - first[k]];
    },
  };
  return { ...surface, slopes: new Slopes(surface) };
}

/** The weights of a place, by joints of the source: its corners' in shares, and to the second order what their slopes say. */
function mixAt(
  { rows, slopes, triangles, positions }: GatheredSource,
  triangle: number,
  u: number,
  v: number,
  w: number,
  mixed: MixedRow,
): void {
  const a = triangles[triangle * 3];
  const b = triangles[triangle * 3 + 1];
  const c = triangles[triangle * 3 + 2];
  mixed.clear();
  mixed.addCorner(...rows(a), u);
  mixed.addCorner(...rows(b), v);
  mixed.addCorner(...rows(c), w);
  if (mixed.count < 2 || u >= 1 || v >= 1 || w >= 1) return;
  const along = (axis: number): number =>
    u * positions[a * 3 + axis] + v * positions[b * 3 + axis] + w * positions[c * 3 + axis];
  const x = along(0);
  const y = along(1);
  const z = along(2);
  const lean = (point: number, share: number): void => {
    if (share <= 0) return;
    const at = point * 3;
    slopes.add(point, share / 2, x - positions[at], y - positions[at + 1], z - positions[at + 2], mixed);
  };
  lean(a, u);
  lean(b, v);
  lean(c, w);
  mixed.keepInRange();
}
