import { createRows } from '@judoka/core/weights';
import { recoverQuads } from '@judoka/core/mesh';
import type { BindSkin } from '@judoka/core/operations/bind';
import type { CharacterPart } from '@judoka/core/document';
import { fileJointId, type Joint } from '@judoka/core/skeleton';

const JOINTS = 60;
const LENGTH = 12;
const IDENTITY = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1];

/** A closed, wavy limb of `side`² points about a chain of joints, to be bound. */
export function limb(side: number): BindSkin {
  const positions = new Float32Array(side * side * 3);
  for (let ring = 0; ring < side; ring++) {
    const t = ring / (side - 1);
    // It tapers to nothing at both ends.
    const radius = (0.6 + 0.15 * Math.sin(t * 20)) * Math.sqrt(Math.max(1e-4, 1 - (2 * t - 1) ** 8));
    for (let a = 0; a < side; a++) {
      const angle = (2 * Math.PI * a) / side;
      positions.set([radius * Math.cos(angle), t * LENGTH, radius * Math.sin(angle)], (ring * side + a) * 3);
    }
  }
  const triangles: number[] = [];
  for (let ring = 0; ring + 1 < side; ring++) {
    for (let a = 0; a < side; a++) {
      const [p, q] = [ring * side + a, ring * side + ((a + 1) % side)];
      triangles.push(p, q + side, q, p, p + side, q + side);
    }
  }
  const corners = Uint32Array.from(triangles);
  const { offsets, points } = recoverQuads(corners, positions);
  const inverseBinds = new Float32Array((JOINTS + 1) * 16);
  const joints = Array.from({ length: JOINTS }, (_, j): Joint => {
    const y = ((j + 0.5) / JOINTS) * LENGTH;
    inverseBinds.set([...IDENTITY.slice(0, 13), -y, 0, 1], j * 16);
    return {
      id: fileJointId(j),
      name: `link ${j}`,
      named: true,
      parent: j - 1,
      side: 'middle',
      offset: IDENTITY,
      translation: [0, j === 0 ? y : LENGTH / JOINTS, 0],
      rotation: [0, 0, 0, 1],
      scale: [1, 1, 1],
      node: j,
    };
  });
  inverseBinds.set(IDENTITY, JOINTS * 16);
  const pointCount = side * side;
  const part: CharacterPart = {
    name: 'limb',
    pointCount,
    vertexCount: pointCount,
    positions,
    normals: new Float32Array(positions.length),
    vertexPoint: Uint32Array.from({ length: pointCount }, (_, p) => p),
    polygonOffsets: offsets,
    polygonPoints: points,
    triangles: corners,
    inverseBinds,
    role: 'skinned',
    source: { mesh: 0, primitive: 0, node: 0, skin: 0, jointOfSlot: joints.map((_, j) => j) },
  };
  return { parts: [part], skeleton: { joints }, rows: [createRows(pointCount)] };
}
