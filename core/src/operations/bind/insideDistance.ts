import { createNearestJoints, putJoint, type NearestJoints } from './nearestJoints.ts';
import { createMeasure, measureBone, type Bones } from '../../skeleton/bones.ts';
import { EntryHeap } from '../../math/entryHeap.ts';
import { INSIDE } from '../../spatial/voxels.ts';
import { cellAt, nearestSolidCell, type Solid } from '../../spatial/solid.ts';
import type { KernelMemory } from '../../memory/kernelMemory.ts';

/**
 * Paths from the bones through the solid: the nearest few joints a cell. Rows of `width` slots, a row a solid cell.
 *
 * - `cellOf`     Int32Array, cells of the grid: row of a cell, -1 outside.
 * - `joints`     Uint16Array, `distances` Float32Array (Infinity in an unused slot): how far a joint is, through the
 *                inside, each length counted by the factor of the bone it is measured from.
 * - `turns`      Int32Array: the cell where the path last turned, or ~bone while it is straight from the bone.
 * - `turnDistances`, `factors`  Float32Array: the distance at the turn, and what a length counts for from there.
 */
export interface InsideDistances {
  readonly solid: Solid;
  readonly width: number;
  readonly cellOf: Int32Array;
  readonly joints: Uint16Array;
  readonly distances: Float32Array;
  readonly turns: Int32Array;
  readonly turnDistances: Float32Array;
  readonly factors: Float32Array;
}

/** Told how far the work is, 0..1; throws to end it. */
export type Watch = (share: number) => void;

const OPEN = 0;
const CHECKED = 1;
const SETTLED = 2;
/** How far outside of the solid a bone may lie and still be joined to it, in cells. */
const SEED_REACH = 12;

/**
 * Shortest paths inside the solid from every joint's bones at once (after Dionne & de Lasa 2013, "Geodesic voxel binding
 * for production character meshes"). Each cell is settled by the first `width` joints that reach it, so the cost does
 * not grow with the number of joints. Paths are not bound to the grid's directions: a label remembers where its way last
 * turned and is measured straight from there as long as the line of sight stays inside (Lazy Theta*, Nash, Koenig &
 * Tovey 2010); at first that is the nearest place on the bone itself.
 */
export function spreadInside(solid: Solid, bones: Bones, width: number, watch: Watch): InsideDistances {
  return new Spread(solid, bones, width).run(watch);
}

class Spread {
  readonly #solid: Solid;
  readonly #bones: Bones;
  readonly #width: number;
  readonly #cells: Int32Array;
  readonly #cellOf: Int32Array;
  readonly #joints: Uint16Array;
  readonly #distances: Float32Array;
  readonly #turns: Int32Array;
  readonly #turnDistances: Float32Array;
  readonly #factors: Float32Array;
  readonly #states: Uint8Array;
  readonly #heap: EntryHeap;
  readonly #measure = createMeasure();
  /** To the six cells across a face: the conservative shell and the inside hang together by faces. */
  readonly #faces: Int32Array;
  /** To all 26 cells around. */
  readonly #steps: Int32Array;
  readonly #stepLengths: Float64Array;

  constructor(solid: Solid, bones: Bones, width: number) {
    this.#solid = solid;
    this.#bones = bones;
    this.#width = width;
    this.#cells = new Int32Array(solid.solidCount);
    this.#cellOf = new Int32Array(solid.solid.length).fill(-1);
    let count = 0;
    for (let i = 0; i < solid.solid.length; i++) {
      if (solid.solid[i] === 0) continue;
      this.#cells[count] = i;
      this.#cellOf[i] = count++;
    }
    const slots = count * width;
    this.#joints = new Uint16Array(slots);
    this.#distances = new Float32Array(slots).fill(Infinity);
    this.#turns = new Int32Array(slots);
    this.#turnDistances = new Float32Array(slots);
    this.#factors = new Float32Array(slots);
    this.#states = new Uint8Array(slots);
    this.#heap = new EntryHeap(slots);
    const steps: number[] = [];
    const lengths: number[] = [];
    for (let z = -1; z <= 1; z++) {
      for (let y = -1; y <= 1; y++) {
        for (let x = -1; x <= 1; x++) {
          if (x === 0 && y === 0 && z === 0) continue;
          steps.push((z * solid.ny + y) * solid.nx + x);
          lengths.push(Math.hypot(x, y, z) * solid.size);
        }
      }
    }
    const plane = solid.nx * solid.ny;
    this.#faces = Int32Array.from([-plane, -solid.nx, -1, 1, solid.nx, plane]);
    this.#steps = Int32Array.from(steps);
    this.#stepLengths = Float64Array.from(lengths);
  }

  run(watch: Watch): InsideDistances {
    for (let b = 0; b < this.#bones.count; b++) this.#seed(b);
    const heap = this.#heap;
    const states = this.#states;
    let settled = 0;
    while (heap.size > 0) {
      const key = heap.leastKey;
      const entry = heap.pop();
      if (states[entry] === SETTLED || key > this.#distances[entry]) continue;
      if (states[entry] === OPEN) {
        states[entry] = CHECKED;
        if (this.#bend(entry)) continue;
      }
      states[entry] = SETTLED;
      this.#expand(entry);
      if ((++settled & 8191) === 0) watch(settled / states.length);
    }
    return {
      solid: this.#solid,
      width: this.#width,
      cellOf: this.#cellOf,
      joints: this.#joints,
      distances: this.#distances,
      turns: this.#turns,
      turnDistances: this.#turnDistances,
      factors: this.#factors,
    };
  }

  /** Starts at every solid cell that a bone passes; a bone outside starts at the solid cells nearest to it. */
  #seed(b: number): void {
    const { ends, joints } = this.#bones;
    const { size } = this.#solid;
    const o = b * 6;
    const direction = [ends[o + 3] - ends[o], ends[o + 4] - ends[o + 1], ends[o + 5] - ends[o + 2]];
    const steps = Math.max(1, Math.ceil(Math.hypot(...direction) / (size * 0.5)));
    for (let s = 0; s <= steps; s++) {
      const t = s / steps;
      const [x, y, z] = [
        ends[o] + direction[0] * t,
        ends[o + 1] + direction[1] * t,
        ends[o + 2] + direction[2] * t,
      ];
      const cell = cellAt(this.#solid, x, y, z);
      if (cell >= 0 && this.#solid.solid[cell] !== 0) {
        this.#measureFrom(cell, b);
        this.#offer(
          cell,
          joints[b],
          this.#measure.length * this.#measure.factor,
          ~b,
          0,
          this.#measure.factor,
        );
        continue;
      }
      const near = nearestSolidCell(this.#solid, x, y, z, SEED_REACH);
      if (near < 0) continue;
      this.#measureFrom(near, b);
      const far = this.#measure.length * this.#measure.factor;
      this.#offer(near, joints[b], far, near, far, this.#measure.factor);
    }
  }

  #measureFrom(cell: number, bone: number): void {
    const { nx, ny, size, origin } = this.#solid;
    const plane = nx * ny;
    const z = (cell / plane) | 0;
    const y = ((cell - z * plane) / nx) | 0;
    const x = cell - z * plane - y * nx;
    measureBone(
      this.#bones,
      bone,
      origin[0] + (x + 0.5) * size,
      origin[1] + (y + 0.5) * size,
      origin[2] + (z + 0.5) * size,
      this.#measure,
    );
  }

  /** A shorter path for a joint to a cell, if it is one. */
  #offer(
    cell: number,
    joint: number,
    distance: number,
    turn: number,
    turnDistance: number,
    factor: number,
  ): void {
    const first = this.#cellOf[cell] * this.#width;
    const end = first + this.#width;
    const distances = this.#distances;
    let slot = -1;
    for (let e = first; e < end; e++) {
      if (distances[e] === Infinity) {
        slot = e;
        break;
      }
      if (this.#joints[e] === joint) {
        if (this.#states[e] === SETTLED || distance >= distances[e]) return;
        slot = e;
        break;
      }
      if (this.#states[e] !== SETTLED && (slot < 0 || distances[e] > distances[slot])) slot = e;
    }
    if (slot < 0 || distance >= distances[slot]) return;
    this.#joints[slot] = joint;
    distances[slot] = distance;
    this.#turns[slot] = turn;
    this.#turnDistances[slot] = turnDistance;
    this.#factors[slot] = factor;
    this.#states[slot] = OPEN;
    this.#heap.push(distances[slot], slot);
  }

  #expand(entry: number): void {
    const cell = this.#cells[(entry / this.#width) | 0];
    const joint = this.#joints[entry];
    const turn = this.#turns[entry];
    const turnDistance = this.#turnDistances[entry];
    const factor = this.#factors[entry];
    const { solid, size } = this.#solid;
    // A step on, the path is hardly shorter than here: the front runs outward.
    const least = this.#distances[entry] - 2 * size * factor;
    for (let k = 0; k < this.#faces.length; k++) {
      const next = cell + this.#faces[k];
      if (solid[next] === 0 || this.#needsNone(next, joint, least)) continue;
      if (turn < 0) {
        this.#measureFrom(next, ~turn);
        const far = this.#measure.length * this.#measure.factor;
        this.#offer(next, joint, far, turn, 0, this.#measure.factor);
      } else {
        const far = turnDistance + factor * cellDistance(this.#solid, turn, next);
        this.#offer(next, joint, far, turn, turnDistance, factor);
      }
    }
  }

  /**
   * Whether a cell needs no offer of a joint: the joint has settled it, or all of its slots are taken by paths that are
   * settled, or not longer than `least`, which the offered one is at least.
   */
  #needsNone(cell: number, joint: number, least: number): boolean {
    const first = this.#cellOf[cell] * this.#width;
    const end = first + this.#width;
    const [states, joints, distances] = [this.#states, this.#joints, this.#distances];
    let taken = true;
    for (let e = first; e < end; e++) {
      const isSettled = states[e] === SETTLED;
      if (joints[e] === joint && distances[e] !== Infinity) return isSettled || distances[e] <= least;
      if (!isSettled && distances[e] > least) taken = false;
    }
    return taken;
  }

  /**
   * Checks that the straight line to the last turn stays inside; where it does not, the path turns at a neighbour.
   * @returns true if the entry went back into the heap with a longer path
   */
  #bend(entry: number): boolean {
    const cell = this.#cells[(entry / this.#width) | 0];
    if (this.#sees(cell, this.#turns[entry])) return false;
    const joint = this.#joints[entry];
    let best = Infinity;
    let from = -1;
    for (let k = 0; k < this.#steps.length; k++) {
      const row = this.#cellOf[cell + this.#steps[k]];
      if (row < 0) continue;
      for (let e = row * this.#width; e < (row + 1) * this.#width; e++) {
        if (this.#joints[e] !== joint || this.#states[e] !== SETTLED) continue;
        const far = this.#distances[e] + this.#stepLengths[k] * this.#factors[e];
        if (far < best) {
          best = far;
          from = e;
        }
      }
    }
    if (from < 0) return false;
    const longer = best > this.#distances[entry];
    this.#turns[entry] = this.#cells[(from / this.#width) | 0];
    this.#turnDistances[entry] = this.#distances[from];
    this.#factors[entry] = this.#factors[from];
    this.#distances[entry] = best;
    if (longer) this.#heap.push(this.#distances[entry], entry);
    return longer;
  }

  #sees(cell: number, turn: number): boolean {
    const { nx, ny, size, origin, solid } = this.#solid;
    const plane = nx * ny;
    const z = (cell / plane) | 0;
    const y = ((cell - z * plane) / nx) | 0;
    const x = cell - z * plane - y * nx;
    let tx: number;
    let ty: number;
    let tz: number;
    if (turn < 0) {
      this.#measureFrom(cell, ~turn);
      tx = (this.#measure.x - origin[0]) / size - 0.5;
      ty = (this.#measure.y - origin[1]) / size - 0.5;
      tz = (this.#measure.z - origin[2]) / size - 0.5;
    } else {
      tz = (turn / plane) | 0;
      ty = ((turn - tz * plane) / nx) | 0;
      tx = turn - tz * plane - ty * nx;
    }
    const steps = Math.ceil(Math.max(Math.abs(tx - x), Math.abs(ty - y), Math.abs(tz - z)) * 1.5);
    for (let s = 1; s < steps; s++) {
      const t = s / steps;
      // Places in the grid are not negative: cut off is rounded down.
      const cx = (x + (tx - x) * t + 0.5) | 0;
      const cy = (y + (ty - y) * t + 0.5) | 0;
      const cz = (z + (tz - z) * t + 0.5) | 0;
      if (solid[(cz * ny + cy) * nx + cx] === 0) return false;
    }
    return true;
  }
}

function cellDistance({ nx, ny, size }: Solid, a: number, b: number): number {
  const plane = nx * ny;
  const za = (a / plane) | 0;
  const zb = (b / plane) | 0;
  const ya = ((a - za * plane) / nx) | 0;
  const yb = ((b - zb * plane) / nx) | 0;
  const dx = a - za * plane - ya * nx - (b - zb * plane - yb * nx);
  const dy = ya - yb;
  const dz = za - zb;
  return size * Math.sqrt(dx * dx + dy * dy + dz * dz);
}

/** What the cells around a point say, measured to the point itself. Points that no cell knows keep an empty row. */
export function readInside(
  inside: InsideDistances,
  bones: Bones,
  positions: Float32Array,
  memory: KernelMemory,
): NearestJoints {
  const { solid, width, cellOf } = inside;
  const { nx, ny, nz, size, origin } = solid;
  const pointCount = positions.length / 3;
  const reach = createNearestJoints(pointCount, width, memory);
  const measure = createMeasure();
  const at = [0, 0, 0];
  for (let i = 0; i < pointCount; i++) {
    for (let k = 0; k < 3; k++) at[k] = positions[i * 3 + k];
    const bx = Math.floor((at[0] - origin[0]) / size - 0.5);
    const by = Math.floor((at[1] - origin[1]) / size - 0.5);
    const bz = Math.floor((at[2] - origin[2]) / size - 0.5);
    // Cells inside first; the shell only where the surface has no inside.
    for (let pass = 0; pass < 2 && reach.distances[i * width] === Infinity; pass++) {
      for (let c = 0; c < 8; c++) {
        const [x, y, z] = [bx + (c & 1), by + ((c >> 1) & 1), bz + (c >> 2)];
        if (x < 0 || y < 0 || z < 0 || x >= nx || y >= ny || z >= nz) continue;
        const cell = (z * ny + y) * nx + x;
        if (cellOf[cell] < 0 || (pass === 0 && solid.solid[cell] !== INSIDE)) continue;
        readCell(inside, bones, cellOf[cell] * width, at, reach, i, measure);
      }
    }
  }
  return reach;
}

function readCell(
  { width, joints, distances, turns, turnDistances, factors, solid }: InsideDistances,
  bones: Bones,
  first: number,
  at: readonly number[],
  reach: NearestJoints,
  i: number,
  measure: ReturnType<typeof createMeasure>,
): void {
  const { nx, ny, size, origin } = solid;
  const plane = nx * ny;
  for (let e = first; e < first + width && distances[e] !== Infinity; e++) {
    let far: number;
    let factor = factors[e];
    if (turns[e] < 0) {
      measureBone(bones, ~turns[e], at[0], at[1], at[2], measure);
      factor = measure.factor;
      far = measure.length * factor;
    } else {
      const z = (turns[e] / plane) | 0;
      const y = ((turns[e] - z * plane) / nx) | 0;
      const x = turns[e] - z * plane - y * nx;
      const dx = origin[0] + (x + 0.5) * size - at[0];
      const dy = origin[1] + (y + 0.5) * size - at[1];
      const dz = origin[2] + (z + 0.5) * size - at[2];
      far = turnDistances[e] + factor * Math.sqrt(dx * dx + dy * dy + dz * dz);
    }
    putJoint(reach, i, joints[e], far);
    if (reach.joints[i * reach.width] === joints[e] && reach.distances[i * reach.width] === Math.fround(far))
      reach.radii[i] = far / factor;
  }
}
