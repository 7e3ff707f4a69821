import type { Character } from '@judoka/core/document';
import { usualMesh, type Drawing } from '@judoka/core/drawing';
import { asGlb, openGlb, readCharacter, writeSvg } from '@judoka/core/formats';
import { addOutlinePoints, cutsAtJoints } from '@judoka/core/operations/outline';
import type { Joint, Skeleton } from '@judoka/core/skeleton';
import { createRows } from '@judoka/core/weights';
import { section } from './context.ts';
import { report, measure } from './measure.ts';

const LAYERS = 200;
/** Rings a layer and curves a ring: with the handles three points each, so 20,000 points in all. */
const RINGS = 3;
const CURVES = 11;

const IDENTITY: Joint['offset'] = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1];

/** Leaves in rows, each a closed outline of curves. */
function manyLayers(): Uint8Array {
  const layers = Array.from({ length: LAYERS }, (_, layer) => {
    const [x, y] = [60 + (layer % 20) * 90, 60 + Math.floor(layer / 20) * 90];
    const at = (ring: number, k: number, share: number): string => {
      const angle = (2 * Math.PI * (k + share)) / CURVES;
      const radius = 42 - 12 * ring + 3 * Math.sin(angle * 5 + layer);
      return `${(x + radius * Math.cos(angle)).toFixed(2)} ${(y + radius * Math.sin(angle)).toFixed(2)}`;
    };
    const rings = Array.from({ length: RINGS }, (_, ring) => {
      const curves = Array.from(
        { length: CURVES },
        (_, k) => `C${at(ring, k, 1 / 3)} ${at(ring, k, 2 / 3)} ${at(ring, k, 1)}`,
      );
      return `<path d="M${at(ring, 0, 0)}${curves.join('')}Z" fill="#486"/>`;
    });
    return `<g aria-label="leaf ${layer}">${rings.join('')}</g>`;
  });
  return new TextEncoder().encode(
    `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 1900 1000">${layers.join('')}</svg>`,
  );
}

/** Points at all joints at once: a joint in the middle of each leaf, whose right half follows it. */
function benchPoints({ parts }: Character, drawing: Drawing): void {
  const middles = parts.map(({ positions }) => {
    let [x, y] = [0, 0];
    for (let k = 0; k < positions.length; k += 3) [x, y] = [x + positions[k], y + positions[k + 1]];
    return [(x * 3) / positions.length, (y * 3) / positions.length] as const;
  });
  const joints = middles.map(([x, y], i): Joint => ({
    ...{
      id: `joint-${i}`,
      name: `joint ${i}`,
      named: true,
      parent: i === 0 ? -1 : 0,
      side: 'middle',
      node: i,
    },
    ...{ offset: IDENTITY, rotation: [0, 0, 0, 1], scale: [1, 1, 1] },
    translation: i === 0 ? [x, y, 0] : [x - middles[0][0], y - middles[0][1], 0],
  }));
  const skeleton: Skeleton = { joints };
  const rows = parts.map(({ positions, pointCount }, i) => {
    const own = createRows(pointCount);
    for (let p = 0; p < pointCount; p++) {
      own.joints[p * own.stride] = positions[p * 3] > middles[i][0] ? i : 0;
      own.values[p * own.stride] = 1;
    }
    return own;
  });
  const subject = {
    drawing,
    parts: parts.map((part) => ({ ...part, inverseBinds: bindsAt(joints) })),
    rows,
    values: {},
    skeleton,
  };
  let count = 0;
  const adding = measure(
    () => {
      const cuts = cutsAtJoints(subject, { joints: [...joints.keys()], perSide: 3 });
      const { anchors } = addOutlinePoints(subject, cuts);
      count = [...anchors.values()].reduce((sum, added) => sum + added.length, 0);
    },
    { runs: 5, warm: 2 },
  );
  report('adding points near all joints', adding.median / 1000, 's', { most: 0.3 });
  report('  anchors added', count, '');
}

/** Inverse bind matrices of joints that stand there, and the part's own place. */
function bindsAt(joints: readonly Joint[]): Float32Array {
  const binds = new Float32Array((joints.length + 1) * 16);
  joints.forEach(({ translation: [x, y] }, i) => {
    const [dx, dy] = i === 0 ? [0, 0] : joints[0].translation;
    binds.set([...IDENTITY.slice(0, 12), -x - dx, -y - dy, 0, 1], i * 16);
  });
  binds.set(IDENTITY, joints.length * 16);
  return binds;
}

/** What a drawing of many layers costs: to read, to be drawn in another pose, and to leave frame by frame. */
export async function benchDrawing(): Promise<void> {
  section('Drawings, 200 layers with 20,000 points');
  const bytes = manyLayers();
  const began = performance.now();
  const glb = asGlb(bytes);
  const character = await readCharacter(openGlb(glb));
  const { drawing, parts } = character;
  if (!drawing) throw new Error('There is no drawing.');
  const meshes = parts.map((part, i) => usualMesh(drawing, i, part));
  report('reading it, and filling all layers', (performance.now() - began) / 1000, 's', { most: 1.5 });
  report(
    '  points',
    parts.reduce((sum, { pointCount }) => sum + pointCount, 0),
    '',
  );
  report(
    '  places that are drawn',
    meshes.reduce((sum, { count }) => sum + count, 0),
    '',
  );
  const places = meshes.map(({ count }) => new Float32Array(count * 3));
  const place = measure(() => meshes.forEach((mesh, i) => mesh.place(parts[i].positions, places[i])), {
    runs: 15,
    warm: 5,
  });
  report('laying all layers in a pose (drawing)', place.median, 'ms');
  const channels = parts.map(({ pointCount }) => new Float32Array(pointCount).fill(0.5));
  const flat = meshes.map(({ count }) => new Float32Array(count));
  const one = measure(() => meshes[0].spread(channels[0], flat[0]), { runs: 101, warm: 20 });
  report('a dab in one layer, spread over it', one.median, 'ms', { most: 4 });
  benchPoints(character, drawing);
  const layers = parts.map(({ vertexPoint, positions }) => ({
    vertexPoint,
    rest: positions,
    posed: positions,
  }));
  const frame = measure(() => void writeSvg(drawing, layers), { runs: 9, warm: 3 });
  report('writing 100 posed frames', frame.median / 10, 's', { most: 5 });
}
