import type { GltfContainer } from '../container.ts';
import type { GltfJson, GltfNode } from '../gltfJson.ts';

/**
 * A file whose scenes stand otherwise: larger or smaller, or with z up, by one node above all. Skinned meshes go with their
 * joints, wherever their own nodes stand.
 */
export function placeIn(container: GltfContainer, scale: number, up: 'Y' | 'Z'): GltfContainer {
  if (scale === 1 && up === 'Y') return container;
  const json = JSON.parse(JSON.stringify(container.json)) as GltfJson;
  const nodes = (json.nodes ??= []);
  const isBare = ({ skin, children = [] }: GltfNode): boolean => skin !== undefined && children.length === 0;
  for (const scene of json.scenes ?? []) {
    const roots = scene.nodes ?? [];
    const moved = roots.filter((n) => !isBare(nodes[n]));
    if (moved.length === 0) continue;
    const above: GltfNode = { name: 'delivered', children: moved };
    if (scale !== 1) above.scale = [scale, scale, scale];
    if (up === 'Z') above.rotation = [Math.SQRT1_2, 0, 0, Math.SQRT1_2];
    scene.nodes = [nodes.push(above) - 1, ...roots.filter((n) => isBare(nodes[n]))];
  }
  return { ...container, json };
}
