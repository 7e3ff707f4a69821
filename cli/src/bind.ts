import { apply } from '@judoka/core/weights';
import { BIND_METHODS, bindNotes, bindSkin, type BindMethod } from '@judoka/core/operations/bind';
import { checkInput, helperJoints } from '@judoka/core/analysis/checkUp';
import { type Character, withJointSetups, withSkinnedParts } from '@judoka/core/document';
import { CoreError } from '@judoka/core/errors';
import { DEFAULT_SOFTNESS, jointsFromNodes, type JointSetups } from '@judoka/core/skeleton';
import { HeldCharacter } from './batch/HeldCharacter.ts';
import { writeFile } from './files.ts';
import { jointsNamed, partsNamed } from './named.ts';

export interface BindOptions {
  method: string;
  maxInfluences: string;
  falloff?: string;
  joints?: string;
  parts?: string;
  onlyDeforming?: boolean;
  nodesAsJoints?: boolean;
  json?: boolean;
}

/** Binds every skinned part anew, or those that are named, skinned or not, and writes the file. */
export async function bind(input: string, output: string, options: BindOptions): Promise<void> {
  methodOf(options);
  asNumber('--max-influences', options.maxInfluences);
  const held = await HeldCharacter.open(input);
  const { summary, notes } = await bound(held, options);
  writeFile(output, held.container);
  process.stdout.write(
    options.json
      ? `${JSON.stringify(summary)}\n`
      : [
          `${summary.pointsBound} points bound by ${summary.method} in ${summary.seconds} s.`,
          ...notes.map(({ words }) => words),
          '',
        ].join('\n'),
  );
}

/** The same on a character that is held. @returns how many points were bound */
export const bindStep = async (held: HeldCharacter, options: BindOptions): Promise<number> =>
  (await bound(held, options)).summary.pointsBound;

function methodOf({ method: named }: BindOptions): BindMethod {
  const method = BIND_METHODS.find((one) => one === named);
  if (method) return method;
  throw new CoreError(
    'argument-invalid',
    `There is no method “${named}”. Choose one of: ${BIND_METHODS.join(', ')}.`,
  );
}

async function bound(held: HeldCharacter, options: BindOptions) {
  const method = methodOf(options);
  const limit = asNumber('--max-influences', options.maxInfluences);
  const softness = options.falloff === undefined ? DEFAULT_SOFTNESS : asNumber('--falloff', options.falloff);
  const read = held.now;
  const named = partsNamed(read, '--parts', options.parts);
  const setups = options.nodesAsJoints ? setupsOfNodes(read) : {};
  // A part that is named is meant to have weights, whether the file gives it some or not.
  const skinned = new Set(named ?? []);
  const character = withSkinnedParts(withJointSetups(read, setups), skinned);
  const { parts, skeleton, rows } = character;
  const jointCount = skeleton.joints.length;
  if (jointCount === 0)
    throw new CoreError(
      'bind-impossible',
      read.plainNodes.length > 0
        ? `The file has no skeleton. Its ${read.plainNodes.length} nodes can be joints: add --nodes-as-joints.`
        : 'The file has no skeleton, and no nodes that could be joints. Place joints in the workspace first.',
    );
  const chosen = parts.flatMap(({ role }, part) =>
    role === 'skinned' && (named?.includes(part) ?? true) ? [part] : [],
  );
  const deforming = deformingJoints(character, options);
  const start = performance.now();
  const { change, report } = await bindSkin(
    { parts, skeleton, rows, drawing: character.drawing },
    { method, parts: chosen, deforming, softness, limit, locks: new Uint8Array(jointCount) },
  );
  const seconds = (performance.now() - start) / 1000;
  apply(held.rows, change);
  await held.settle({ setups, skinned });
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
  return { summary, notes: bindNotes(report, (part) => parts[part].name) };
}

/** The file's plain nodes as joints. */
function setupsOfNodes({ skeleton, plainNodes }: Character): JointSetups {
  const change = jointsFromNodes(skeleton, plainNodes);
  return Object.fromEntries(change.map(({ joint, after }) => [joint, after]));
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
