import { Cage, type Ring, type Shares } from '../cage.ts';
import { add, scale, type Vec3 } from '@judoka/core/math';
import { LANTERN_TOP, SATCHEL_PLACE } from './skeleton.ts';

/** One half of the beak: six-sided, tapering to the tip. */
export function beakCage(half: 'upper' | 'lower'): Cage {
  const cage = new Cage();
  const shares: Shares = { [`beak_${half}`]: 1 };
  const upper = half === 'upper';
  const rows: [Vec3, number, number][] = upper
    ? [
        [[0, 1.308, 0.325], 0.022, 0.017],
        [[0, 1.306, 0.36], 0.0235, 0.0165],
        [[0, 1.302, 0.42], 0.018, 0.0125],
        [[0, 1.296, 0.5], 0.01, 0.0075],
        [[0, 1.29, 0.56], 0.004, 0.003],
      ]
    : [
        [[0, 1.29, 0.32], 0.02, 0.0115],
        [[0, 1.287, 0.36], 0.021, 0.011],
        [[0, 1.284, 0.42], 0.0155, 0.009],
        [[0, 1.281, 0.49], 0.0085, 0.0055],
        [[0, 1.28, 0.535], 0.0035, 0.0025],
      ];
  const rings = rows.map(([centre, across, upright]): Ring => ({
    centre,
    side: [1, 0, 0],
    radii: [across * 1.15, upright * 1.15],
    shares,
  }));
  const made = cage.loft(rings, 6, [0.05, 0.05, 0.7, 0.9]);
  cage.close(made.rings[0], [0.8, 0.05, 0.1, 0.1], false);
  cage.close(made.rings[made.rings.length - 1], [0.8, 0.2, 0.1, 0.1], true);
  return cage;
}

/** Both eyes: two cubes that smooth into balls, each following its own joint whole. */
export function eyesCage(): Cage {
  const cage = new Cage();
  for (const side of [1, -1]) {
    const shares: Shares = { [side > 0 ? 'eye_L' : 'eye_R']: 1 };
    const centre: Vec3 = [side * 0.0375, 1.32, 0.305];
    const r = 0.0125;
    const ring = (z: number): Ring => ({
      centre: add(centre, [0, 0, z]),
      side: [1, 0, 0],
      radii: [r * Math.SQRT2, r * Math.SQRT2],
      shares,
      along: [0, 0, 1],
    });
    const made = cage.loft([ring(-r), ring(r)], 4, [side > 0 ? 0.05 : 0.55, 0.05, 0.3, 0.6]);
    cage.close(made.rings[0], [side > 0 ? 0.05 : 0.55, 0.7, 0.1, 0.1], false);
    cage.close(made.rings[1], [side > 0 ? 0.2 : 0.7, 0.7, 0.1, 0.1], true);
  }
  return cage;
}

/** A band through places, closed to a ring: handle and strap. `face` tells where its broad side looks. */
function band(
  cage: Cage,
  places: readonly Vec3[],
  face: (place: Vec3) => Vec3,
  radii: readonly [number, number],
  sharesAt: (place: Vec3) => Shares,
): void {
  const n = places.length;
  const rings = places.map((centre, k): Ring => {
    const before = places[(k + n - 1) % n];
    const after = places[(k + 1) % n];
    return {
      centre,
      side: face(centre),
      radii,
      shares: sharesAt(centre),
      along: add(after, scale(before, -1)),
    };
  });
  cage.loft(rings, 4, [0.6, 0.3, 0.35, 0.65], true);
}

/** The lantern: a turned body with cap and foot, and a handle; one piece with its joint. */
export function lanternCage(): Cage {
  const cage = new Cage();
  const shares: Shares = { lantern: 1 };
  const profile: [number, number][] = [
    [-0.012, 0.012],
    [-0.026, 0.042],
    [-0.034, 0.05],
    [-0.04, 0.036],
    [-0.06, 0.04],
    [-0.098, 0.04],
    [-0.114, 0.036],
    [-0.12, 0.048],
    [-0.134, 0.046],
  ];
  const rings = profile.map(([drop, radius]): Ring => ({
    centre: add(LANTERN_TOP, [0, drop, 0]),
    side: [1, 0, 0],
    radii: [radius, radius],
    shares,
    along: [0, -1, 0],
  }));
  const made = cage.loft(rings, 8, [0.02, 0.02, 0.5, 0.9]);
  cage.close(made.rings[0], [0.55, 0.02, 0.1, 0.1], false);
  cage.close(made.rings[made.rings.length - 1], [0.55, 0.15, 0.1, 0.1], true);
  const loop = Array.from({ length: 10 }, (_, k): Vec3 => {
    const angle = (2 * Math.PI * k) / 10;
    return add(LANTERN_TOP, [0.024 * Math.cos(angle), 0.012 + 0.026 * Math.sin(angle), 0]);
  });
  band(
    cage,
    loop,
    () => [0, 0, 1],
    [0.006, 0.006],
    () => shares,
  );
  return cage;
}

/** The satchel at the right hip, and its strap up over the left shoulder. */
export function satchelCage(): Cage {
  const cage = new Cage();
  const shares: Shares = { satchel: 1 };
  const rows: [number, number, number][] = [
    [0.012, 0.02, 0.06],
    [-0.004, 0.031, 0.076],
    [-0.05, 0.033, 0.08],
    [-0.092, 0.03, 0.078],
    [-0.108, 0.02, 0.062],
  ];
  const rings = rows.map(([drop, thick, wide]): Ring => ({
    centre: add(SATCHEL_PLACE, [0, drop, 0]),
    side: [1, 0, 0],
    radii: [thick, wide],
    shares,
    along: [0, -1, 0],
  }));
  const made = cage.loft(rings, 8, [0.02, 0.02, 0.5, 0.9]);
  cage.close(made.rings[0], [0.55, 0.02, 0.1, 0.1], false);
  cage.close(made.rings[made.rings.length - 1], [0.55, 0.15, 0.1, 0.1], true);

  const low: Vec3 = [-0.152, 0.62, -0.05];
  const high: Vec3 = [0.07, 0.865, 0.035];
  const middle = scale(add(low, high), 0.5);
  const reach = scale(add(high, scale(low, -1)), 0.5);
  const out: Vec3 = [0.02, 0.035, 0.163];
  const strap = Array.from({ length: 16 }, (_, k): Vec3 => {
    const angle = (2 * Math.PI * k) / 16;
    return add(middle, add(scale(reach, Math.cos(angle)), scale(out, Math.sin(angle))));
  });
  band(
    cage,
    strap,
    (place) => add(place, scale(middle, -1)),
    [0.0065, 0.019],
    ([, y]): Shares =>
      y > 0.8 ? { chest: 0.3, spine_2: 0.7 } : y > 0.7 ? { spine_1: 0.5, spine_2: 0.5 } : { spine_1: 1 },
  );
  return cage;
}
