import { mat4 } from 'gl-matrix';
import type { PlainNode } from '../../skeleton/plainNodes.ts';
import type { GltfJson, GltfNode } from './gltfJson.ts';
import { localMatrix, localParts } from './nodePlaces.ts';

/**
 * Nodes that are no joint of a skin and could be one, parents first: those that clips move, and those that place something
 * below others. Left out are cameras and lights, nodes above joints, what only wraps all the rest, and what only holds a
 * mesh where the node above it stands.
 *
 * @param parentNode Int32Array by node, -1 for none
 */
export function readPlainNodes(
  { nodes = [], animations = [] }: GltfJson,
  parentNode: Int32Array,
  isJoint: ReadonlySet<number>,
): PlainNode[] {
  const moved = new Set(
    animations.flatMap(({ channels }) =>
      channels.flatMap(({ target: { node, path } }) =>
        node === undefined || path === 'weights' ? [] : [node],
      ),
    ),
  );
  const aboveJoint = new Set<number>();
  for (const joint of isJoint)
    for (let n = parentNode[joint]; n >= 0 && !aboveJoint.has(n); n = parentNode[n]) aboveJoint.add(n);

  const taken = new Set(isJoint);
  const found: PlainNode[] = [];
  const visit = (n: number): void => {
    const isFree = !isJoint.has(n) && !aboveJoint.has(n);
    const above = nearest(n, parentNode, taken);
    if (isFree && (moved.has(n) || (places(nodes[n], above) && !isWatcher(nodes[n])))) {
      taken.add(n);
      found.push({
        node: n,
        name: nodes[n].name || `node ${n}`,
        above,
        ...placeOf(nodes, parentNode, n, above),
      });
    }
  };
  const stack = [...nodes.keys()].filter((n) => parentNode[n] < 0).reverse();
  while (stack.length > 0) {
    const n = stack.pop() as number;
    visit(n);
    stack.push(...[...(nodes[n].children ?? [])].reverse());
  }
  return found;
}

function nearest(node: number, parentNode: Int32Array, taken: ReadonlySet<number>): number {
  let above = parentNode[node];
  while (above >= 0 && !taken.has(above)) above = parentNode[above];
  return above;
}

/** Whether a node that nothing moves is a place of its own. */
function places(node: GltfNode, above: number): boolean {
  const { children = [], mesh } = node;
  if (above < 0) return children.length > 1;
  const isHolder = children.length === 0 && mesh !== undefined;
  return !isHolder || !mat4.equals(localMatrix(node), mat4.create());
}

/** A camera or a light that carries nothing. */
const isWatcher = ({ camera, children = [], extensions = {} }: GltfNode): boolean =>
  children.length === 0 && (camera !== undefined || 'KHR_lights_punctual' in extensions);

function placeOf(
  nodes: readonly GltfNode[],
  parentNode: Int32Array,
  node: number,
  above: number,
): Pick<PlainNode, 'offset' | 'translation' | 'rotation' | 'scale'> {
  const offset = mat4.create();
  for (let n = parentNode[node]; n >= 0 && n !== above; n = parentNode[n])
    mat4.multiply(offset, localMatrix(nodes[n]), offset);
  return { offset: [...offset], ...localParts(nodes[node]) };
}
