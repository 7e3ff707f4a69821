import { apply } from '@judoka/core/weights';
import { checkInput, checkUp, leftOutJoints } from '@judoka/core/analysis/checkUp';
import { CoreError } from '@judoka/core/errors';
import { type Character, type Finding, FINDING_CODES, type FindingCode } from '@judoka/core/document';
import { repairShape, repairSkeleton, repairWeights } from '@judoka/core/operations/repair';
import { HeldCharacter } from './batch/HeldCharacter.ts';
import { writeFile } from './files.ts';
import { profileNamed } from './profiles.ts';

const SOURCE_CODES: readonly FindingCode[] = ['broken-weights', 'weights-in-units', 'sums-off-one'];

export interface RepairOptions {
  only?: string;
  profile?: string;
}

/** Repairs what can be repaired and tells it, a line each. */
export async function repair(input: string, output: string, options: RepairOptions): Promise<void> {
  codesOf(options);
  const held = await HeldCharacter.open(input);
  const wanted = await repaired(held, options);
  writeFile(output, held.container);
  process.stdout.write(
    wanted.length === 0
      ? 'Nothing to repair.\n'
      : wanted.map(({ message, repair: does }) => `${message} ${does}\n`).join(''),
  );
}

/** The same on a character that is held. @returns how many findings were repaired */
export const repairStep = async (held: HeldCharacter, options: RepairOptions): Promise<number> =>
  (await repaired(held, options)).length;

/** @throws CoreError argument-invalid for a code that is none */
function codesOf({ only }: RepairOptions): string[] | undefined {
  const codes = only?.split(',').map((code) => code.trim());
  for (const code of codes ?? []) {
    if (!(FINDING_CODES as readonly string[]).includes(code))
      throw new CoreError(
        'argument-invalid',
        `There is no finding “${code}”. judoka check lists what there is.`,
      );
  }
  return codes;
}

async function repaired(held: HeldCharacter, options: RepairOptions): Promise<Finding[]> {
  const only = codesOf(options);
  const character = held.now;
  const settings = { profile: profileNamed(options.profile), nonDeforming: leftOutJoints(character) };
  const wanted = checkUp(character, settings).filter(
    ({ code, repair: does }) => does !== undefined && (!only || only.includes(code)),
  );
  const locks = new Uint8Array(character.skeleton.joints.length);
  const { rows } = held;
  const checked = checkInput(character, settings);
  apply(rows, repairWeights(checked, wanted, locks).change);
  const shape = repairShape({ ...checked, rows }, wanted, locks);
  apply(rows, shape.change);
  const joints = repairSkeleton(checked, wanted);
  const codes = new Set(wanted.map(({ code }) => code));
  await held.settle({
    leave: leftAlone(held.character, codes),
    setups: Object.fromEntries(joints.map(({ joint, after }) => [joint, after])),
    welds: shape.welds,
    exactSums: !only || only.includes('sums-off-one'),
  });
  return wanted;
}

/** Vertices whose own numbers were put right when read, although that was not asked for. */
function leftAlone(character: Character, codes: ReadonlySet<FindingCode>): Uint8Array[] {
  return character.parts.map(({ vertexCount }, part) => {
    const { asCame, sums, brokenVertices } = character.sourceWeights[part];
    const leave = new Uint8Array(vertexCount);
    for (let v = 0; v < vertexCount; v++) {
      if (asCame[v]) leave[v] = codes.has('unweighted') ? 0 : 1;
      else leave[v] = codes.has(SOURCE_CODES[brokenVertices[v] ? 0 : sums[v] > 50 ? 1 : 2]) ? 0 : 1;
    }
    return leave;
  });
}
