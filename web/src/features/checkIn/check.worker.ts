import { checkInput, checkUp } from '@judoka/core/analysis/checkUp';
import {
  isShapeRepair,
  type RepairReport,
  repairShape,
  repairSkeleton,
  repairWeights,
} from '@judoka/core/operations/repair';
import { apply, compose, copyRows, type Change, type WeightRows } from '@judoka/core/weights';
import type { Character, CharacterPart, DeliveryProfile, Finding, FindingCode } from '@judoka/core/document';
import type { Skeleton, SkeletonChange } from '@judoka/core/skeleton';
import * as Comlink from 'comlink';

let character: Character | undefined;

/** What a check-up is asked with; `rows` are copies. */
export interface CheckQuestion {
  readonly rows: readonly WeightRows[];
  readonly profile: DeliveryProfile;
  readonly nonDeforming: readonly number[];
  /** What the person calls the parts. */
  readonly partNames: readonly string[];
}

/** What a repair does to weights and to joints. */
export interface Repaired {
  readonly change: Change;
  readonly joints: SkeletonChange;
  /** By part, the distance within which its points become one. */
  readonly welds: Readonly<Record<number, number>>;
  readonly report: RepairReport;
}

function settings({ rows, profile, nonDeforming }: CheckQuestion) {
  return { rows, profile, nonDeforming: new Set(nonDeforming) };
}

function begun(): Character {
  if (!character) throw new Error('The check-up was asked before it was given a character.');
  return character;
}

/** The character under the names that it has on the screen. */
function named({ partNames }: CheckQuestion): Character {
  const { parts, ...rest } = begun();
  return { ...rest, parts: parts.map((part, i) => ({ ...part, name: partNames[i] })) };
}

const checker = {
  begin(given: Character): void {
    character = given;
  },
  /** Joints were changed, or parts: how joints stand now, what binds each part to them, and whether it has weights. */
  setSkeleton(skeleton: Skeleton, held: readonly Pick<CharacterPart, 'inverseBinds' | 'role'>[]): void {
    const { parts, ...rest } = begun();
    character = {
      ...rest,
      skeleton,
      parts: parts.map((part, i) => ({ ...part, ...held[i] })),
    };
  },
  /** What is found; the rows of the question go back. */
  check(question: CheckQuestion): { findings: Finding[]; rows: readonly WeightRows[] } {
    const findings = checkUp(named(question), settings(question));
    const { rows } = question;
    const buffers = rows.flatMap(({ joints, values }) => [joints.buffer, values.buffer]);
    return Comlink.transfer({ findings, rows }, buffers);
  },
  /** What repairs findings, made on the rows of the question. */
  repair(
    question: CheckQuestion,
    wanted: readonly { code: FindingCode; part?: number }[],
    locks: Uint8Array,
  ): Repaired {
    const input = checkInput(begun(), settings(question));
    const findings = checkUp(begun(), settings(question)).filter(({ code, part, settled }) =>
      wanted.some((one) => !settled && one.code === code && one.part === part),
    );
    const { change, report } = repairWeights(input, findings, locks);
    const joints = repairSkeleton(input, findings);
    if (!findings.some(({ code }) => isShapeRepair(code))) return { change, joints, welds: {}, report };
    // Welded are the weights as the other repairs leave them.
    const rows = input.rows.map(copyRows);
    apply(rows, change);
    const shape = repairShape({ ...input, rows }, findings, locks);
    return { change: compose(change, shape.change), joints, welds: shape.welds, report };
  },
};
export type Checker = typeof checker;
Comlink.expose(checker);
