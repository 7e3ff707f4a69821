import { CoreError } from '@judoka/core/errors';
import type { Clip } from '@judoka/core/animation';
import type { Character } from '@judoka/core/document';

/** The joints that an option names, with commas between; undefined where it is not given. */
export function jointsNamed(
  { skeleton }: Character,
  option: string,
  text: string | undefined,
): number[] | undefined {
  if (text === undefined) return undefined;
  return text.split(',').map((name) => {
    const joint = skeleton.joints.findIndex((one) => one.name === name.trim());
    if (joint >= 0) return joint;
    throw new CoreError(
      'argument-invalid',
      `${option}: there is no joint “${name.trim()}”. judoka info lists what there is.`,
    );
  });
}

/** The parts that an option names; undefined where it is not given. */
export function partsNamed(
  { parts }: Character,
  option: string,
  text: string | undefined,
): number[] | undefined {
  if (text === undefined) return undefined;
  return text.split(',').map((name) => {
    const part = parts.findIndex((one) => one.name === name.trim());
    if (part >= 0) return part;
    throw new CoreError(
      'argument-invalid',
      `${option}: there is no part “${name.trim()}”. judoka info lists what there is.`,
    );
  });
}

/** The clips that an option names: all where it is not given, and none where it says so. */
export function clipsNamed({ clips }: Character, option: string, text: string | undefined): readonly Clip[] {
  if (text === undefined) return clips;
  if (text.trim() === 'none') return [];
  return text.split(',').map((name) => {
    const clip = clips.find((one) => one.name === name.trim());
    if (clip) return clip;
    const known = clips.map((one) => `“${one.name}”`).join(', ');
    throw new CoreError(
      'argument-invalid',
      `${option}: there is no clip “${name.trim()}”. ${clips.length > 0 ? `There are ${known}; or say none.` : 'The file has none.'}`,
    );
  });
}
