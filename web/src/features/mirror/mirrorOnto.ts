import { counted, partAt } from '@judoka/core/document';
import { weightOf } from '@judoka/core/weights';
import { childrenOf, restPlaces } from '@judoka/core/skeleton';
import type { OfferChange } from '../../document/alternative.ts';
import type { Editing } from '../../scene/Editing.ts';
import type { Mirroring } from './Mirroring.ts';

type At = Editing & { readonly mirroring: Mirroring };

/** Gives the surface that a joint, or its partner across, has weight on what the partner's side has: one edit. @param offer proposes it instead */
export async function mirrorOnto(at: At, joint: number, offer?: OfferChange): Promise<void> {
  const { document, mirroring } = at;
  try {
    const { axis, middle, partner } = document.pairs;
    const pairs = await mirroring.find();
    const places = restPlaces(document.skeleton);
    const direction = places[joint * 3 + axis] > middle ? 'toPositive' : 'toNegative';
    const { firstPoint } = mirroring.space;
    const rows = document.rowsOfPart();
    // What hangs on it blends with it, and takes part in how it bends.
    const own = [joint, ...childrenOf(document.skeleton)[joint]];
    const across = own.map((each) => partner[each]).filter((each) => each >= 0);
    const has = (part: number, point: number, joints: readonly number[]): boolean =>
      joints.some((each) => weightOf(rows[part], point, each) > 0);
    const points = new Map<number, Uint32Array>();
    rows.forEach(({ pointCount }, part) => {
      const held = Uint32Array.from({ length: pointCount }, (_, p) => p).filter((p) => {
        if (has(part, p, own)) return true;
        const pair = pairs[firstPoint[part] + p];
        if (pair < 0) return false;
        const other = partAt(firstPoint, pair);
        return has(other, pair - firstPoint[other], across);
      });
      if (held.length > 0) points.set(part, held);
    });
    const limit = Math.max(...rows.map(({ stride }) => stride));
    const { change } = await mirroring.propose(direction, { points }, limit);
    const changed = change.reduce((sum, { points: each }) => sum + each.length, 0);
    if (changed === 0) {
      document.notify('Both sides have the same weights there: the meshes differ, or the joints do.');
      return;
    }
    const name = document.jointName(joint);
    const label = `${name} mirrored from ${document.jointName(partner[joint])}`;
    if (offer) {
      await offer(label, change);
      return;
    }
    await document.perform(label, { weights: change });
    document.notify(`${counted(changed, 'point')} about ${name} mirrored from the other side.`);
  } catch (error) {
    document.notifyError(error);
  }
}
