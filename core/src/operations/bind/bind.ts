import { stridesOf, write } from './adoptBinding.ts';
import { Binder, CELLS, SLOTS } from './binder.ts';
import { type BindReport, type BindRequest, type BindSkin, checkRequest } from './bindRequest.ts';
import { countBytes } from '../../memory/countBytes.ts';
import { CoreError } from '../../errors.ts';
import type { Change } from '../../weights/delta.ts';
import { createRowBlock } from '../../weights/rowBlock.ts';
import { createRowsIn } from '../../weights/rows.ts';
import { readAnatomy } from './anatomy/anatomy.ts';
import {
  type BindSpace,
  gatherBindSpace,
  jointPlaces,
  layBindSpace,
} from '../../document/space/bindSpace.ts';
import { bindLayers } from './drawing/bindLayers.ts';
import { layHeat } from './heat.ts';
import type { Watch } from './insideDistance.ts';
import { createNearestJoints } from './nearestJoints.ts';
import { JOINTS_A_POINT, layNearest } from './nearest.ts';
import { applyControls, applyFollowers, laySettling, stiffenIslands } from './settle.ts';
import { fillSolid } from '../../spatial/solid.ts';
import { readSoup } from '../../spatial/soup.ts';
import type { KernelMemory } from '../../memory/kernelMemory.ts';
import { borrowMemory } from '../../memory/memoryPool.ts';

/**
 * A first binding.
 *
 * - `nearest`: the nearest bones through the air, held to their neighbourhood in the skeleton.
 * - `heat`: heat spreading over the surface from the bones that are seen.
 * - `volume`: the nearest bones through the inside of the solid.
 *
 * All three share bones, controls and followers ({@link readAnatomy}), and finish whatever the mesh is like: heat falls
 * back on volume where no bone is seen or the equations have no solution, volume on the nearest bound surface where no
 * bone gets in. Locked joints keep their weights to the bit; points that are not asked for stay.
 *
 * A drawing is bound layer by layer, see {@link bindLayers}.
 *
 * @param watch told how far the work is; may throw to end it, nothing is changed then
 * @throws CoreError `bind-impossible` without a deforming joint or a surface, `argument-invalid` for bad numbers
 */
export async function bindSkin(
  skin: BindSkin,
  request: BindRequest,
  watch: Watch = () => undefined,
): Promise<{ change: Change; report: BindReport }> {
  checkRequest(skin, request);
  watch(0);
  return skin.drawing
    ? bindLayers(skin, skin.drawing, request, bindSolid, watch)
    : bindSolid(skin, request, watch);
}

async function bindSolid(
  skin: BindSkin,
  request: BindRequest,
  watch: Watch,
): Promise<{ change: Change; report: BindReport }> {
  const loan = await borrowMemory(countBytes((memory) => layBinding(memory, skin, request.parts)));
  try {
    return await bindWith(loan.memory, skin, request, watch);
  } finally {
    loan.giveBack();
  }
}

async function bindWith(
  memory: KernelMemory,
  skin: BindSkin,
  request: BindRequest,
  watch: Watch,
): Promise<{ change: Change; report: BindReport }> {
  const space = gatherBindSpace(skin.parts, request.parts, memory);
  const places = jointPlaces(skin.skeleton, skin.parts);
  const soup = readSoup(space.positions, space.triangles, memory);
  if (!(soup.longest > 0) || !Number.isFinite(soup.longest)) {
    throw new CoreError(
      'bind-impossible',
      'These parts have no size, so there is nothing to bind. Choose other parts.',
    );
  }
  const cells = request.cells ?? CELLS[request.method];
  const solid = await fillSolid(space.positions, space.triangles, soup, cells);
  watch(0.1);
  const anatomy = readAnatomy(skin.skeleton, places, (joint) => request.deforming[joint] !== 0, space, solid);
  if (anatomy.bones.count === 0) {
    throw new CoreError(
      'bind-impossible',
      'No bone is left to bind to. Let more joints deform, or choose another part.',
    );
  }
  const binder = new Binder(skin, request, space, soup, places, solid, anatomy);
  const { rows, fallbacks } = await binder.propose((share) => watch(0.12 + 0.76 * share));
  watch(0.9);
  const stiff = stiffenIslands(rows, space);
  applyControls(rows, space, anatomy.controls, places, (p) => isMain(space, p));
  applyFollowers(rows, space, anatomy.followers);
  watch(0.95);
  return write(skin, request, space, rows, { fallbacks, stiff });
}

/** Room for the method and what it may fall back on; what is never touched costs nothing. */
function layBinding(
  memory: KernelMemory,
  { parts: all, skeleton, rows }: BindSkin,
  parts: readonly number[],
): unknown {
  const pointCount = parts.reduce((sum, part) => sum + all[part].pointCount, 0);
  const triangleCount = parts.reduce((sum, part) => sum + all[part].triangles.length / 3, 0);
  const jointCount = skeleton.joints.length;
  return [
    layBindSpace(memory, all, parts),
    ...[1, 2].map(() => layNearest(memory, pointCount, 4 * jointCount, jointCount)),
    createNearestJoints(pointCount, JOINTS_A_POINT, memory),
    ...[1, 2, 3].map(() => createRowsIn(memory, pointCount, SLOTS)),
    laySettling(memory, pointCount),
    layHeat(memory, pointCount, triangleCount),
    memory.f64(8),
    // Joints' factors, and chains, each time that distances are blended.
    ...[1, 2, 3].map(() => [memory.f64(jointCount), memory.i32(jointCount), memory.f32(jointCount)]),
    memory.u8(65536),
    ...[...stridesOf(rows, parts)].map((stride) => createRowBlock(memory, stride, SLOTS)),
  ];
}

/** Whether a point's island is large enough to carry controls. */
function isMain({ islands, islandPoints: { starts }, pointCount }: BindSpace, point: number): boolean {
  const island = islands.ofPoint[point];
  return island >= 0 && starts[island + 1] - starts[island] > 0.02 * pointCount;
}
