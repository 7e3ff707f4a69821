import type { BendLacks } from '@judoka/core/operations/cure';
import { lengthWords } from '../../ui/lengthWords.ts';
import type { Editing } from '../../scene/Editing.ts';

/** A way in the scene, axis by axis; what hardly counts is left out. */
export function wayWords(offset: readonly number[]): string {
  const length = Math.hypot(...offset);
  return offset
    .flatMap((by, k) =>
      Math.abs(by) > 0.15 * length
        ? [`${lengthWords(Math.abs(by))} along ${by < 0 ? '−' : ''}${'xyz'[k]}`]
        : [],
    )
    .join(' and ');
}

/** What a bend lacks that weights do not cure, in sentences, each with a look at the place. */
export function lackWords(
  at: Editing,
  { joint, place, rings }: BendLacks,
): { words: string; show: () => void }[] {
  const { document, scene } = at;
  const name = document.jointName(joint);
  const found: { words: string; show: () => void }[] = [];
  if (place) {
    const percent = Math.round(100 * (1 - place.leaves));
    found.push({
      words: `${name} would bend better elsewhere: moved ${wayWords(place.offset)}, with these weights, it leaves ${percent}% less of the damage.`,
      show: () => {
        scene.chooseJoint(joint);
        scene.setMarks({ points: new Map(), joints: [], besides: [{ joint, offset: place.offset }] });
      },
    });
  }
  if (rings)
    found.push({
      words: document.character.drawing
        ? `The outlines have a point every ${lengthWords(rings.every)} about ${name}, where the limb is ${lengthWords(2 * rings.radius)} thick: put points there in Bind, Outlines.`
        : `The mesh has a ring every ${lengthWords(rings.every)} about ${name}, where it is ${lengthWords(2 * rings.radius)} thick: it bends only where it has points.`,
      show: () => scene.setMarks({ points: new Map([[rings.part, rings.points]]), joints: [joint] }),
    });
  return found;
}
