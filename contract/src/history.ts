import { z } from 'zod';
import { documentValues } from './values.ts';
import { jointSetups } from './joints.ts';

/** A line of a character's log, told: who did what, when, to how much. */
export const historyLine = z.object({
  seq: z.number().int(),
  id: z.uuid(),
  kind: z.enum(['edit', 'undo', 'redo']),
  label: z.string(),
  /** Null for lines of before that was kept. */
  author: z.string().nullable(),
  madeAt: z.iso.datetime({ offset: true }),
  /** What was there before it is a moment. */
  isLarge: z.boolean(),
  /** How many points' weights it changed; which parts and joints it was about. */
  points: z.number().int(),
  parts: z.array(z.number().int()),
  joints: z.array(z.number().int()),
});
export type HistoryLine = z.infer<typeof historyLine>;

export const MAX_HISTORY_LINES = 500;

const numbers = z
  .string()
  .max(20_000)
  .regex(/^(\d+(,\d+)*)?$/, 'numbers between commas are needed')
  .default('')
  .transform((text) => (text === '' ? [] : text.split(',').map(Number)));

/** Asks for lines, the last one first: with a text in the label or the author's name, or about one of these joints or parts. */
export const logQuery = z.object({
  before: z.coerce.number().int().min(1).default(Number.MAX_SAFE_INTEGER),
  limit: z.coerce.number().int().min(1).max(MAX_HISTORY_LINES).default(100),
  text: z.string().max(120).default(''),
  joints: numbers,
  parts: numbers,
  /** `1`: large steps only. */
  large: z
    .enum(['0', '1'])
    .default('0')
    .transform((text) => text === '1'),
});
export type LogQuery = z.infer<typeof logQuery>;
export const logAnswer = z.object({ lines: z.array(historyLine), more: z.boolean() });

/** Who changed these points: lines with how many of them each was of. */
export const touchedQuery = z.object({ limit: z.coerce.number().int().min(1).max(100).default(20) });
export const touchedAnswer = z.object({
  lines: z.array(historyLine.extend({ touched: z.number().int() })),
  more: z.boolean(),
});
export type TouchedLine = z.infer<typeof touchedAnswer>['lines'][number];

/** A moment: a number in the log, 0 as the file came; or the edit that it is after. */
export const momentParams = z.object({
  id: z.uuid(),
  moment: z.union([z.coerce.number().int().min(0), z.uuid()]),
});
/** Header of a frame with a character as it was; the blob is its weights. */
export const momentHeader = z.object({
  seq: z.number().int(),
  joints: jointSetups,
  values: documentValues,
});
export type MomentHeader = z.infer<typeof momentHeader>;
