import type { Character } from './character.ts';
import type { Clip } from '../animation/clip.ts';
import type { Skeleton } from '../skeleton/skeleton.ts';
import { lengthFactors } from '../skeleton/applyScale.ts';
import { type JointSetups, rebind, withSetups } from '../skeleton/skeletonChange.ts';

/**
 * A character as read, with its joints set up as they are now.
 * @param character as it came from its file
 */
export function withJointSetups(character: Character, setups: JointSetups): Character {
  return Object.keys(setups).length === 0
    ? character
    : withSkeleton(character, withSetups(character.skeleton, setups));
}

/** A character as read, with another skeleton than its file's: its parts stay where they are, and clips move its joints. */
export function withSkeleton(character: Character, skeleton: Skeleton): Character {
  const factors = lengthFactors(character.skeleton, skeleton);
  return {
    ...character,
    skeleton,
    clips: character.clips.map((clip) => withNodeTracks(inNewLengths(clip, factors), skeleton)),
    parts: character.parts.map((part) => ({
      ...part,
      inverseBinds: rebind(part.inverseBinds, character.skeleton, skeleton),
    })),
  };
}

/** Nodes that are joints now are moved by what moved the nodes. */
function withNodeTracks(clip: Clip, { joints }: Skeleton): Clip {
  const { nodeTracks = [] } = clip;
  if (nodeTracks.length === 0) return clip;
  const jointOfNode = new Map(
    joints.flatMap(({ node, removed }, joint): [number, number][] => (removed ? [] : [[node, joint]])),
  );
  const more = nodeTracks.flatMap(({ node, ...track }) => {
    const joint = jointOfNode.get(node);
    return joint === undefined ? [] : [{ ...track, joint }];
  });
  return { ...clip, tracks: [...clip.tracks, ...more] };
}

/** Moves are said in the parent's lengths: where those are others now, the clip says them anew. */
function inNewLengths(clip: Clip, factors: Float64Array): Clip {
  if (factors.every((factor) => factor === 1)) return clip;
  return {
    ...clip,
    tracks: clip.tracks.map((track) =>
      track.path !== 'translation' || factors[track.joint] === 1
        ? track
        : { ...track, values: track.values.map((n) => n * factors[track.joint]) },
    ),
  };
}
