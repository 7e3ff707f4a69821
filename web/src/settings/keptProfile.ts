import { DEFAULT_PROFILE, type DeliveryProfile, readProfile } from '@judoka/core/document';

const keyOf = (character: string): string => `judoka.profile.${character}`;

/** The limits that a character was held against last in this browser. */
export function keptProfile(character: string): DeliveryProfile {
  try {
    const held = localStorage.getItem(keyOf(character));
    return held === null ? DEFAULT_PROFILE : readProfile(JSON.parse(held));
  } catch {
    return DEFAULT_PROFILE;
  }
}

export function keepProfile(character: string, profile: DeliveryProfile): void {
  try {
    localStorage.setItem(keyOf(character), JSON.stringify(profile));
  } catch {
    // A browser that keeps nothing begins with the usual one the next time.
  }
}
