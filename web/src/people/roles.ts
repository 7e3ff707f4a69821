import type { Role } from '@judoka/contract';

export const ROLES: readonly { readonly value: Role; readonly label: string; readonly may: string }[] = [
  { value: 'guest', label: 'Guest', may: 'looks, poses and comments, and never changes anything' },
  { value: 'painter', label: 'Painter', may: 'brings characters in and changes them' },
  { value: 'owner', label: 'Owner', may: 'changes characters, and says who is on the shelf' },
];

export const roleWords = (role: Role): string => ROLES.find(({ value }) => value === role)?.label ?? role;
export const roleMay = (role: Role): string => ROLES.find(({ value }) => value === role)?.may ?? '';
