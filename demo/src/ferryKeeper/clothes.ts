import { Cage, type Ring, type Shares } from '../cage.ts';
import { add, lerp, normalize, scale, subtract, type Vec3 } from '@judoka/core/math';
import { SCARF, SPINE } from './skeleton.ts';

const CAPE_ROWS = 7;
const CAPE_COLUMNS = 11;
/** Columns of the cape that lie out over the wing, on either side. */
const OVER_WING = 2;

/** The rain cape: one open sheet over the back, its sides lying out over the wings. */
export function capeCage(): Cage {
  const cage = new Cage();
  const grid: number[][] = [];
  for (let row = 0; row < CAPE_ROWS; row++) {
    const line: number[] = [];
    for (let column = 0; column < CAPE_COLUMNS; column++) {
      line.push(cage.addPoint(capePlace(row, column), capeShares(row, column)));
    }
    grid.push(line);
  }
  const uv = (row: number, column: number): [number, number] => [
    0.02 + (0.96 * column) / (CAPE_COLUMNS - 1),
    0.02 + (0.96 * row) / (CAPE_ROWS - 1),
  ];
  for (let r = 0; r + 1 < CAPE_ROWS; r++) {
    for (let c = 0; c + 1 < CAPE_COLUMNS; c++) {
      cage.addFace(
        [grid[r][c], grid[r + 1][c], grid[r + 1][c + 1], grid[r][c + 1]],
        [uv(r, c), uv(r + 1, c), uv(r + 1, c + 1), uv(r, c + 1)],
      );
    }
  }
  return cage;
}

function capePlace(row: number, column: number): Vec3 {
  const t = row / (CAPE_ROWS - 1);
  const centre = lerp([0, 0.845, 0.165], [0, 0.69, -0.26], t);
  // As wide as the body below it and a little more: narrow at the neck, wide at the shoulders, easy at the hem.
  const swell = Math.sin(Math.PI * Math.min(1, t * 1.25 + 0.12));
  const across = 0.08 + 0.085 * swell + 0.03 * t;
  const upright = 0.065 + 0.08 * swell + 0.045 * t;
  const inner = Math.min(CAPE_COLUMNS - 1 - OVER_WING, Math.max(OVER_WING, column));
  const angle = ((26 + (128 * (inner - OVER_WING)) / (CAPE_COLUMNS - 1 - 2 * OVER_WING)) * Math.PI) / 180;
  const base: Vec3 = [across * Math.cos(angle), upright * Math.sin(angle), 0];
  const steps = Math.max(0, OVER_WING - column) - Math.max(0, column - (CAPE_COLUMNS - 1 - OVER_WING));
  const reach = 0.035 + 0.035 * swell;
  return add(centre, add(base, [steps * reach, -Math.abs(steps) * 0.016, -Math.abs(steps) * 0.006]));
}

function capeShares(row: number, column: number): Shares {
  const back: Shares[] = [
    { chest: 1 },
    { chest: 0.7, spine_2: 0.3 },
    { spine_2: 0.7, cape_back_1: 0.3 },
    { cape_back_1: 1 },
    { cape_back_1: 0.6, cape_back_2: 0.4 },
    { cape_back_2: 1 },
    { cape_back_2: 1 },
  ];
  const side = column < CAPE_COLUMNS / 2 ? 'L' : 'R';
  const fromEdge = Math.min(column, CAPE_COLUMNS - 1 - column);
  const out = [0.95, 0.7, 0.3][fromEdge] ?? 0;
  const shares: Record<string, number> = {};
  for (const [joint, share] of Object.entries(back[row])) shares[joint] = share * (1 - out);
  if (out > 0) shares[fromEdge === 0 ? `cape_hem_${side}` : `cape_side_${side}`] = out;
  return shares;
}

/** The scarf: a loop around the neck and an end that hangs down in front. */
export function scarfCage(): Cage {
  const cage = new Cage();
  const sections = 10;
  const axis = normalize(subtract(SPINE.neck_2, SPINE.neck_1));
  const centre = lerp(SPINE.neck_1, SPINE.neck_2, 0.62);
  const loop = Array.from({ length: sections }, (_, k): Ring => {
    const angle = (2 * Math.PI * k) / sections;
    const out = add(scale([1, 0, 0], Math.cos(angle)), scale(normalize(crossAxis(axis)), Math.sin(angle)));
    const along = add(scale([1, 0, 0], -Math.sin(angle)), scale(normalize(crossAxis(axis)), Math.cos(angle)));
    return {
      centre: add(centre, scale(out, 0.06)),
      side: axis,
      radii: [0.034, 0.018],
      shares: { chest: 0.15, neck_1: 0.7, neck_2: 0.15 },
      along,
    };
  });
  cage.loft(loop, 4, [0.02, 0.02, 0.4, 0.96], true);

  const tail = SCARF.map((place, k): Ring => {
    const shares: Shares =
      k === 0
        ? { neck_1: 1 }
        : k === SCARF.length - 1
          ? { [`scarf_${k}`]: 1 }
          : { [`scarf_${k}`]: 0.5, [`scarf_${k + 1}`]: 0.5 };
    return { centre: place, side: [1, 0, 0], radii: [0.04 + 0.004 * k, 0.013], shares };
  });
  const made = cage.loft(tail, 4, [0.5, 0.02, 0.3, 0.96]);
  cage.close(made.rings[0], [0.85, 0.02, 0.05, 0.05], false);
  cage.close(made.rings[made.rings.length - 1], [0.85, 0.1, 0.05, 0.05], true);
  return cage;
}

/** Square to the neck's axis and to the body's width. */
function crossAxis(axis: Vec3): Vec3 {
  return [0, -axis[2], axis[1]];
}
