import { readFileSync, statSync } from 'node:fs';
import { extname } from 'node:path';
import { DEFAULT_PROFILE, PROFILES, readProfile, type DeliveryProfile } from '@judoka/core/document';
import { CoreError } from '@judoka/core/errors';

const MAX_PROFILE_BYTES = 1_000_000;

/**
 * The limits that an option names: one of ours, or a `.json` file with one's own.
 * @throws CoreError argument-invalid, file-invalid
 */
export function profileNamed(name: string | undefined): DeliveryProfile {
  if (name === undefined) return DEFAULT_PROFILE;
  const all = [DEFAULT_PROFILE, ...PROFILES];
  const profile = all.find((one) => one.name.toLowerCase() === name.toLowerCase());
  if (profile) return profile;
  if (extname(name).toLowerCase() === '.json') return readProfileFile(name);
  const names = all.map((one) => one.name.toLowerCase()).join(', ');
  throw new CoreError(
    'argument-invalid',
    `There is no profile “${name}”. Choose one of: ${names}; or name a .json file with your own.`,
  );
}

function readProfileFile(path: string): DeliveryProfile {
  if (statSync(path).size > MAX_PROFILE_BYTES)
    throw new CoreError('file-too-large', `“${path}” is larger than a profile can be.`);
  let json: unknown;
  try {
    json = JSON.parse(readFileSync(path, 'utf8'));
  } catch {
    throw new CoreError('file-invalid', `“${path}” is no JSON.`);
  }
  return readProfile(json);
}
