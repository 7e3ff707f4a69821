import { join } from 'node:path';
import { writeFile } from '../files.ts';
import { sentence } from '../sentence.ts';
import { HeldCharacter } from './HeldCharacter.ts';
import { changes, doStep, type Step, type StepOutcome, type StepPlace } from './steps.ts';

/** What came of one file. */
export interface FileOutcome {
  readonly file: string;
  /** As an exit code: 0 fine, 1 something is wrong, 2 it could not be done. */
  readonly code: 0 | 1 | 2;
  /** Why it could not be done, in a sentence. */
  readonly failure?: string;
  readonly steps: readonly StepOutcome[];
}

/** Does all steps to one file. A failure ends this file, and no other. */
export async function runFile(file: string, steps: readonly Step[], place: StepPlace): Promise<FileOutcome> {
  const done: StepOutcome[] = [];
  try {
    const held = await HeldCharacter.open(file);
    for (const step of steps) done.push(await doStep(held, step, place));
    if (steps.some(changes) && !steps.some((step) => step.do === 'deliver'))
      done.push(await write(held, place));
  } catch (error) {
    return { file, code: 2, failure: sentence(error), steps: done };
  }
  // What was wrong before it was mended is not wrong any more.
  const isWrong =
    done.at(-1)?.isWrong === true || done.some(({ step, isWrong: own }) => own && step === 'deliver');
  return { file, code: isWrong ? 1 : 0, steps: done };
}

/** What was done to it, where no deliver writes it. */
async function write(held: HeldCharacter, { out }: StepPlace): Promise<StepOutcome> {
  const file = `${held.name}.glb`;
  await held.settle();
  writeFile(join(out, file), held.container);
  return { step: 'write', words: file, files: [file] };
}
