import { readFileSync, statSync } from 'node:fs';
import { CoreError } from '@judoka/core/errors';
import { profileNamed } from '../profiles.ts';
import { changes, STEP_NAMES, stepSchema, type Step } from './steps.ts';

const MAX_RECIPE_BYTES = 1_000_000;
const MAX_STEPS = 50;

/**
 * The steps of a recipe: a JSON list, or an object with one under `steps`; each step an object whose `do` names a command and
 * whose other fields are that command's options. All is looked at before the first file is touched.
 *
 * @throws CoreError argument-invalid, file-invalid, with the step's number
 */
export function readRecipe(path: string): Step[] {
  if (statSync(path).size > MAX_RECIPE_BYTES)
    throw new CoreError('file-too-large', `“${path}” is larger than a recipe can be.`);
  let json: unknown;
  try {
    json = JSON.parse(readFileSync(path, 'utf8'));
  } catch {
    throw new CoreError('file-invalid', `“${path}” is no JSON, so it is no recipe.`);
  }
  return readSteps(json);
}

/** @throws CoreError as {@link readRecipe} */
export function readSteps(json: unknown): Step[] {
  const list = Array.isArray(json) ? (json as unknown[]) : (json as { steps?: unknown } | null)?.steps;
  if (!Array.isArray(list) || list.length === 0 || list.length > MAX_STEPS)
    throw new CoreError(
      'file-invalid',
      `A recipe is a list of 1 to ${MAX_STEPS} steps, such as [{"do": "check"}].`,
    );
  const steps = list.map((step: unknown, i) => readStep(step, i + 1));
  const delivered = steps.map((step) => step.do).lastIndexOf('deliver');
  const lost = steps.map(changes).lastIndexOf(true);
  if (delivered >= 0 && lost > delivered)
    throw new CoreError(
      'argument-invalid',
      `In the recipe step ${lost + 1}, ${steps[lost].do}, comes after the last deliver, so nothing of it would be written: put it before, or deliver once more.`,
    );
  return steps;
}

function readStep(step: unknown, number: number): Step {
  const where = `step ${number}`;
  const fail = (why: string): CoreError =>
    new CoreError('argument-invalid', `In ${where} of the recipe ${why}.`, { where });
  if (typeof step !== 'object' || step === null || !('do' in step) || typeof step.do !== 'string')
    throw fail('there is no “do” that names a command');
  const { do: name, ...options } = step;
  const schema = stepSchema(name);
  if (!schema) throw fail(`“${name.slice(0, 40)}” is no step; there are: ${STEP_NAMES.join(', ')}`);
  const read = schema.safeParse(options);
  if (!read.success) {
    const [issue] = read.error.issues;
    const field = issue.code === 'unrecognized_keys' ? issue.keys[0] : issue.path.join('.');
    throw fail(
      issue.code === 'unrecognized_keys'
        ? `“${field}” is no option of ${name}`
        : `“${field}” of ${name} is not as it should be (${issue.message})`,
    );
  }
  const checked = { do: name, ...(read.data as object) } as Step;
  if ('profile' in checked) profileNamed(checked.profile);
  return checked;
}
