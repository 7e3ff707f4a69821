import { AFFINE, type PosedPalettes } from '../../deform/PosedPalettes.ts';

/**
 * Lays what joints do by pose, for kernels that take several poses at a time: {@link AFFINE} runs a joint, a number a pose each.
 *
 * @param from, count the poses
 * @param run   numbers a run
 * @param unit  the length that lengths are counted in
 * @param still what fills up the runs, column by column, 16 numbers; nothing without
 */
export function layPalettes(
  posed: PosedPalettes,
  inverseBinds: Float32Array,
  { from, count }: { readonly from: number; readonly count: number },
  out: Float32Array,
  run: number,
  unit = 1,
  still?: ArrayLike<number>,
): void {
  const { jointCount } = posed;
  const palettes = posed.palettesOf(inverseBinds);
  for (let joint = 0; joint < jointCount; joint++)
    for (let e = 0; e < AFFINE; e++) {
      const own = out.subarray((joint * AFFINE + e) * run, (joint * AFFINE + e + 1) * run);
      own.fill(still ? still[Math.floor(e / 3) * 4 + (e % 3)] / unit : 0);
      for (let k = 0; k < count; k++)
        own[k] = palettes[((from + k) * jointCount + joint) * AFFINE + e] / unit;
    }
}
