import type { Clip } from '@judoka/core/animation';
import { carryingRibbons, withRibbonTracks } from '@judoka/core/document';
import type { Skeleton } from '@judoka/core/skeleton';
import type { OpenDocument } from './OpenDocument.ts';

type ClipDocument = Pick<OpenDocument, 'character' | 'settings' | 'skeleton'>;

/** By clip as it came, what ribbons made of it last. */
const carried = new WeakMap<
  Clip,
  { readonly skeleton: Skeleton; readonly by: string; readonly clip: Clip }
>();

/** A clip with what it does to ribbons' own joints; the same object as long as nothing of that changes. */
export function carriedClip({ settings, skeleton }: Omit<ClipDocument, 'character'>, clip: Clip): Clip {
  const ribbons = carryingRibbons(skeleton, settings.ribbons);
  if (ribbons.length === 0) return clip;
  const by = JSON.stringify(ribbons);
  const known = carried.get(clip);
  if (known?.skeleton === skeleton && known.by === by) return known.clip;
  const made = { skeleton, by, clip: withRibbonTracks(clip, skeleton, ribbons) };
  carried.set(clip, made);
  return made.clip;
}

/** The file's clips, with what they do to ribbons' own joints. */
export const carriedClips = (document: ClipDocument): Clip[] =>
  document.character.clips.map((clip) => carriedClip(document, clip));
