import { CoreError } from '@judoka/core/errors';

/** What is mirrored while it is done needs every point's counterpart. @throws CoreError argument-invalid while they are looked for */
export function needPairs({ live, pairs }: { readonly live: boolean; readonly pairs: unknown }): void {
  if (live && !pairs)
    throw new CoreError(
      'argument-invalid',
      'Counterparts are still being looked for. Try again in a moment.',
    );
}
