import {
  checkInput,
  checkUp,
  repairWeights,
  type Change,
  type Character,
  type DeliveryProfile,
  type Finding,
  type FindingCode,
  type RepairReport,
  type WeightRows,
} from '@judoka/core';
import * as Comlink from 'comlink';

let character: Character | undefined;

/** What a check-up is asked with; `rows` are copies. */
export interface CheckQuestion {
  readonly rows: readonly WeightRows[];
  readonly profile: DeliveryProfile;
  readonly still: readonly number[];
}

function settings({ rows, profile, still }: CheckQuestion) {
  return { rows, profile, still: new Set(still) };
}

function begun(): Character {
  if (!character) throw new Error('The check-up was asked before it was given a character.');
  return character;
}

const checker = {
  begin(given: Character): void {
    character = given;
  },
  check(question: CheckQuestion): Finding[] {
    return checkUp(begun(), settings(question));
  },
  /** The change that repairs findings, made on the rows of the question. */
  repair(
    question: CheckQuestion,
    wanted: readonly { code: FindingCode; part?: number }[],
    locks: Uint8Array,
  ): { change: Change; report: RepairReport } {
    const input = checkInput(begun(), settings(question));
    const findings = checkUp(begun(), settings(question)).filter(({ code, part, settled }) =>
      wanted.some((one) => !settled && one.code === code && one.part === part),
    );
    return repairWeights(input, findings, locks);
  },
};
export type Checker = typeof checker;
Comlink.expose(checker);
