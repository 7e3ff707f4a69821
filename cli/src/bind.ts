import { apply } from '@judoka/core/weights';
import { BIND_METHODS, bindNotes, bindSkin } from '@judoka/core/operations/bind';
import { checkInput, helperJoints } from '@judoka/core/analysis/checkUp';
import type { Character } from '@judoka/core/document';
import { CoreError } from '@judoka/core/errors';
import { DEFAULT_SOFTNESS } from '@judoka/core/skeleton';
import { exportCharacter, readCharacter } from '@judoka/core/formats';
import { decoders, openFile, writeFile } from './files.ts';
import { jointsNamed, partsNamed } from './named.ts';

export interface BindOptions {
  method: string;
  maxInfluences: string;
  falloff?: string;
  joints?: string;
  parts?: string;
  onlyDeforming?: boolean;
  json?: boolean;
}

/** Binds every skinned part anew, or those that are named, and writes the file. */
export async function bind(input: string, output: string, options: BindOptions): Promise<void> {
  const method = BIND_METHODS.find((one) => one === options.method);
  if (!method)
    throw new CoreError(
      'argument-invalid',
      `There is no method “${options.method}”. Choose one of: ${BIND_METHODS.join(', ')}.`,
    );
  const limit = asNumber('--max-influences', options.maxInfluences);
  const softness = options.falloff === undefined ? DEFAULT_SOFTNESS : asNumber('--falloff', options.falloff);
  const container = openFile(input);
  const character = await readCharacter(container, decoders);
  const { parts, skeleton, rows } = character;
  const jointCount = skeleton.joints.length;
  const named = partsNamed(character, '--parts', options.parts);
  const chosen = parts.flatMap(({ role }, part) =>
    role === 'skinned' && (named?.includes(part) ?? true) ? [part] : [],
  );
  if (chosen.length === 0)
    throw new CoreError(
      'bind-impossible',
      named
        ? 'None of these parts has a skin, so there is no skeleton to bind it to.'
        : 'No part of this file has a skin, so there is no skeleton to bind it to.',
    );
  const deforming = deformingJoints(character, options);
  const start = performance.now();
  const { change, report } = await bindSkin(
    { parts, skeleton, rows },
    { method, parts: chosen, deforming, softness, limit, locks: new Uint8Array(jointCount) },
  );
  const seconds = (performance.now() - start) / 1000;
  const bound = rows.map((own) => ({ ...own, joints: own.joints.slice(), values: own.values.slice() }));
  apply(bound, change);
  writeFile(output, exportCharacter(container, character, bound));
  const summary = {
    method,
    seconds: Number(seconds.toFixed(3)),
    pointsBound: report.asked - report.held,
    fallbacks: report.fallbacks.map(({ part, points, why }) => ({
      part,
      name: parts[part].name,
      points: points.length,
      why,
    })),
  };
  process.stdout.write(
    options.json
      ? `${JSON.stringify(summary)}\n`
      : [
          `${summary.pointsBound} points bound by ${method} in ${summary.seconds} s.`,
          ...bindNotes(report, (part) => parts[part].name).map(({ words }) => words),
          '',
        ].join('\n'),
  );
}

/** Uint8Array, a joint: 1 where the binding may give weight. */
function deformingJoints(character: Character, { joints, onlyDeforming }: BindOptions): Uint8Array {
  const named = jointsNamed(character, '--joints', joints);
  const input = checkInput(character, {});
  const helpers = onlyDeforming ? helperJoints(input) : undefined;
  // A joint that is named is meant, whatever it looks like.
  return Uint8Array.from(character.skeleton.joints, (_, joint) =>
    (named ? named.includes(joint) : !input.roots.has(joint) && !helpers?.has(joint)) ? 1 : 0,
  );
}

function asNumber(option: string, text: string): number {
  const value = Number(text);
  if (text.trim() !== '' && Number.isFinite(value)) return value;
  throw new CoreError('argument-invalid', `${option} is a number, not “${text}”.`);
}
