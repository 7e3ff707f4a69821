import type { PosedPalettes } from '../../deform/PosedPalettes.ts';
import { blockOf, type PoseBlocks } from './settleArrays.ts';

/** Collects blocks of four poses, by point. */
class BlockList {
  readonly #starts: number[] = [0];
  readonly #blocks: number[] = [];

  /** @param isIn by block: 1 for those of the next point */
  add(isIn: Uint8Array): void {
    for (let b = 0; b < isIn.length; b++) if (isIn[b] === 1) this.#blocks.push(b);
    this.#starts.push(this.#blocks.length);
  }

  finish(): PoseBlocks {
    return { offsets: new Uint32Array(this.#starts), blocks: new Uint16Array(this.#blocks) };
  }
}

/**
 * In which poses points may come to lie elsewhere, and in which their rotations are asked for. Poses that move all that may weigh
 * at a point and about it alike say nothing of it.
 *
 * @param listed     how many points may move
 * @param offsets    compressed rows, a listed point each: its neighbours
 * @param eachJoint  calls back with the joints that may weigh at a point, in any order, some more than once
 * @param blockCount blocks of poses there are
 */
export function findOpenPoses(
  posed: PosedPalettes,
  poseCount: number,
  blockCount: number,
  listed: number,
  offsets: Uint32Array,
  neighbours: Uint32Array,
  eachJoint: (point: number, take: (joint: number) => void) => void,
): { readonly open: PoseBlocks; readonly asked: PoseBlocks } {
  const groups = groupPoses(posed, poseCount, blockCount);
  const open = new BlockList();
  const isOpen = new Uint8Array(listed * blockCount);
  const stamps = new Int32Array(posed.jointCount).fill(-1);
  const about: number[] = [];
  let now = 0;
  const take = (joint: number): void => {
    if (stamps[joint] === now) return;
    stamps[joint] = now;
    about.push(joint);
  };
  for (let i = 0; i < listed; i++) {
    about.length = 0;
    now = i;
    eachJoint(i, take);
    for (let n = offsets[i]; n < offsets[i + 1]; n++) eachJoint(neighbours[n], take);
    const own = isOpen.subarray(i * blockCount, (i + 1) * blockCount);
    for (const { moved, blocks } of groups) if (isTold(about, moved)) for (const b of blocks) own[b] = 1;
    open.add(own);
  }
  const isAsked = isOpen.slice();
  for (let i = 0; i < listed; i++)
    for (let n = offsets[i]; n < offsets[i + 1]; n++) {
      const q = neighbours[n];
      if (q >= listed) continue;
      for (let b = 0; b < blockCount; b++)
        if (isOpen[i * blockCount + b] === 1) isAsked[q * blockCount + b] = 1;
    }
  const asked = new BlockList();
  for (let i = 0; i < listed; i++) asked.add(isAsked.subarray(i * blockCount, (i + 1) * blockCount));
  return { open: open.finish(), asked: asked.finish() };
}

/** Whether a pose that moves some joints alike tells these apart. */
function isTold(joints: readonly number[], moved: Uint8Array | undefined): boolean {
  if (!moved) return true;
  for (let c = 1; c < joints.length; c++) if (moved[joints[c]] !== moved[joints[0]]) return true;
  return false;
}

interface PoseGroup {
  /** By joint, as {@link PosedPalettes.movedIn} says. */
  readonly moved: Uint8Array | undefined;
  readonly blocks: ReadonlySet<number>;
}

function groupPoses(posed: PosedPalettes, poseCount: number, blockCount: number): readonly PoseGroup[] {
  const groups = new Map<Uint8Array | undefined, Set<number>>();
  for (let k = 0; k < poseCount; k++) {
    const moved = posed.movedIn(k);
    const own = groups.get(moved) ?? new Set<number>();
    own.add(Math.min(blockCount - 1, blockOf(k)));
    groups.set(moved, own);
  }
  return [...groups].map(([moved, blocks]) => ({ moved, blocks }));
}
