import { mat4 } from 'gl-matrix';
import type { Joint } from '../../skeleton/skeleton.ts';
import type { GltfNode } from './gltfJson.ts';

/** How a node stands to the one above it, in parts. */
export function localParts(node: GltfNode): Pick<Joint, 'translation' | 'rotation' | 'scale'> {
  if (!node.matrix) {
    return {
      translation: triple(node.translation, 0),
      rotation: (node.rotation as Joint['rotation'] | undefined) ?? [0, 0, 0, 1],
      scale: triple(node.scale, 1),
    };
  }
  const matrix = node.matrix as unknown as mat4;
  const [t, s] = [mat4.getTranslation([0, 0, 0], matrix), mat4.getScaling([0, 0, 0], matrix)];
  const r = mat4.getRotation([0, 0, 0, 1], matrix);
  return { translation: triple([...t], 0), rotation: [r[0], r[1], r[2], r[3]], scale: triple([...s], 1) };
}

function triple(numbers: readonly number[] | undefined, otherwise: number): [number, number, number] {
  return [numbers?.[0] ?? otherwise, numbers?.[1] ?? otherwise, numbers?.[2] ?? otherwise];
}

/** The same as a matrix. */
export function localMatrix(node: GltfNode): mat4 {
  if (node.matrix) return node.matrix;
  const { translation, rotation, scale } = localParts(node);
  return mat4.fromRotationTranslationScale(mat4.create(), rotation, translation, scale);
}
