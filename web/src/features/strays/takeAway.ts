import type { RankedStray } from '@judoka/core/analysis/strays';
import { counted } from '@judoka/core/document';
import type { Receiver } from '@judoka/core/weights';
import type { OfferChange } from '../../document/alternative.ts';
import { NO_MARKS } from '../../scene/Scene.ts';
import type { Editing } from '../../scene/Editing.ts';
import type { StrayList } from './StrayList.ts';

export type StrayEditing = Editing & { readonly strayList: StrayList };

/** Removes strays, and says what locks held back. @param offer proposes it instead */
export function takeAway(
  at: StrayEditing,
  strays: readonly RankedStray[],
  receiver: Receiver,
  offer?: OfferChange,
): void {
  at.strayList
    .remove(strays, receiver, offer)
    .then((held) => {
      at.scene.setMarks(NO_MARKS);
      if (held > 0)
        at.document.notify(`${counted(held, 'point')} kept all weight: locks leave it no place to go.`);
    })
    .catch(at.document.notifyError);
}
