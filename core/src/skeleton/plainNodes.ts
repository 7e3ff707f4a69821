import { CoreError } from '../errors.ts';
import { freeJointName, MAX_NAME_LENGTH } from './editSkeleton.ts';
import { liveJoints, nodeJointId, type Joint, type Skeleton } from './skeleton.ts';
import type { JointSetup, SkeletonChange } from './skeletonChange.ts';

/** A node of a file that is no joint of any skin, and could be one. Its place is given as a joint's is. */
export interface PlainNode extends Pick<Joint, 'offset' | 'translation' | 'rotation' | 'scale'> {
  readonly node: number;
  readonly name: string;
  /** The nearest node above it that is a joint or could be one; -1 for none. */
  readonly above: number;
}

/**
 * Makes joints of a file's plain nodes: they stand where they stand, hang as they hang, and clips that move the nodes move
 * them. Nodes that are joints already are passed over.
 *
 * @param nodes parents first
 * @throws CoreError argument-invalid if none is left
 */
export function jointsFromNodes(skeleton: Skeleton, nodes: readonly PlainNode[]): SkeletonChange {
  const jointOfNode = new Map(
    liveJoints(skeleton).flatMap((joint): [number, number][] => {
      const { node } = skeleton.joints[joint];
      return node < 0 ? [] : [[node, joint]];
    }),
  );
  const taken = new Set(liveJoints(skeleton).map((joint) => skeleton.joints[joint].name));
  const fresh = nodes.filter(({ node }) => !jointOfNode.has(node));
  if (fresh.length === 0)
    throw new CoreError('argument-invalid', 'The file has no more nodes that could be joints.');
  const change = fresh.map(({ node, name, above, offset, translation, rotation, scale }, i) => {
    const joint = skeleton.joints.length + i;
    jointOfNode.set(node, joint);
    const after: JointSetup = {
      id: nodeJointId(node),
      name: freeJointName(taken, name.slice(0, MAX_NAME_LENGTH)),
      parent: jointOfNode.get(above) ?? -1,
      ...{ offset, translation, rotation, scale },
    };
    return { joint, before: null, after };
  });
  return change;
}
