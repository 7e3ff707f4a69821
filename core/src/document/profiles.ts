/** What an engine takes. */
export interface DeliveryProfile {
  readonly name: string;
  /** Influences a vertex. */
  readonly influences: number;
  readonly joints: number;
  readonly vertices: number;
}

export const PROFILES: readonly DeliveryProfile[] = [
  { name: 'Phone', influences: 4, joints: 75, vertices: 30_000 },
  { name: 'Console', influences: 8, joints: 300, vertices: 200_000 },
  { name: 'Film', influences: 16, joints: 2000, vertices: 5_000_000 },
];

/** The profile that a check-up uses when none is named: four influences, as most engines take. */
export const DEFAULT_PROFILE: DeliveryProfile = {
  name: 'Everyday',
  influences: 4,
  joints: 256,
  vertices: 200_000,
};
