export const SKINNINGS = { linear: 'Linear', dual: 'Dual quaternions' } as const;
