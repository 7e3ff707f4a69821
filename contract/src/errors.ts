import { z } from 'zod';
import type { CoreErrorCode } from '@judoka/core/errors';

const CORE_CODES = [
  'file-empty',
  'file-not-gltf',
  'file-truncated',
  'file-version',
  'file-too-large',
  'file-invalid',
  'file-unsupported',
  'file-no-mesh',
  'delta-mismatch',
  'delta-invalid',
  'argument-invalid',
  'joint-locked',
  'no-solution',
  'bind-impossible',
  'stopped',
] as const satisfies readonly CoreErrorCode[];

/** Every code that an answer can carry: core's, then the server's own. */
export const ERROR_CODES = [
  ...CORE_CODES,
  'request-invalid',
  'not-signed-in',
  'not-allowed',
  'not-found',
  'edit-clash',
  'edit-refused',
  'storage-full',
  'read-only',
  'database-away',
  'too-many-requests',
  'server-failed',
] as const;

export type ErrorCode = (typeof ERROR_CODES)[number];

/** The one shape of every refused or failed request. */
export const errorAnswer = z.object({
  error: z.object({
    code: z.enum(ERROR_CODES),
    message: z.string(),
    detail: z.record(z.string(), z.union([z.string(), z.number()])),
  }),
});
export type ErrorAnswer = z.infer<typeof errorAnswer>;
