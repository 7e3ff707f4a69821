import type { PointMask } from '../mesh/masks.ts';

/** Joints that may weigh on some points only: joint → part → mask. A part that is missing is closed to the joint. */
export type Confines = ReadonlyMap<number, ReadonlyMap<number, PointMask>>;

/** The same within one part: joint → mask. An empty mask closes all of it. */
export type Areas = ReadonlyMap<number, PointMask>;

const NOWHERE: PointMask = new Uint8Array(0);

/** What confines say of one part; undefined where no joint is confined. */
export function areasOf(confines: Confines | undefined, part: number): Areas | undefined {
  if (!confines || confines.size === 0) return undefined;
  return new Map([...confines].map(([joint, areas]) => [joint, areas.get(part) ?? NOWHERE]));
}

/** Whether a joint may be given weight at a point. What it has elsewhere already it may keep. */
export function mayWeigh(areas: Areas | undefined, joint: number, point: number): boolean {
  const area = areas?.get(joint);
  return area === undefined || area[point] === 1;
}
