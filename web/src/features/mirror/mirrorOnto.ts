import { counted, partAt } from '@judoka/core/document';
import { weightOf } from '@judoka/core/weights';
import { restPlaces } from '@judoka/core/skeleton';
import type { Editing } from '../../scene/Editing.ts';
import type { Mirroring } from './Mirroring.ts';

type At = Editing & { readonly mirroring: Mirroring };

/** Gives the surface that a joint, or its partner across, has weight on what the partner's side has: one edit. */
export async function mirrorOnto(at: At, joint: number): Promise<void> {
  const { document, mirroring } = at;
  try {
    const { axis, middle, partner } = document.pairs;
    const pairs = await mirroring.find();
    const places = restPlaces(document.skeleton);
    const direction = places[joint * 3 + axis] > middle ? 'toPositive' : 'toNegative';
    const { firstPoint } = mirroring.space;
    const rows = document.rowsOfPart();
    const has = (part: number, point: number, each: number): boolean => weightOf(rows[part], point, each) > 0;
    const points = new Map<number, Uint32Array>();
    rows.forEach(({ pointCount }, part) => {
      const own = Uint32Array.from({ length: pointCount }, (_, p) => p).filter((p) => {
        const across = pairs[firstPoint[part] + p];
        if (has(part, p, joint)) return true;
        if (across < 0) return false;
        const other = partAt(firstPoint, across);
        return has(other, across - firstPoint[other], partner[joint]);
      });
      if (own.length > 0) points.set(part, own);
    });
    const limit = Math.max(...rows.map(({ stride }) => stride));
    const { change } = await mirroring.propose(direction, { points }, limit);
    const changed = change.reduce((sum, { points: own }) => sum + own.length, 0);
    if (changed === 0) {
      document.notify('Both sides have the same weights there: the meshes differ, or the joints do.');
      return;
    }
    const name = document.jointName(joint);
    await document.perform(`${name} mirrored from ${document.jointName(partner[joint])}`, {
      weights: change,
    });
    document.notify(`${counted(changed, 'point')} about ${name} mirrored from the other side.`);
  } catch (error) {
    document.notifyError(error);
  }
}
