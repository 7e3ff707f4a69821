import { LayerMesh } from '@judoka/core/drawing';
import { asGlb, openGlb, readCharacter, writeSvg } from '@judoka/core/formats';
import { section } from './context.ts';
import { report, measure } from './measure.ts';

const LAYERS = 200;
/** Curves a layer: with the handles three points each, so 20,000 points in all. */
const CURVES = 33;

/** Leaves in rows, each a closed outline of curves. */
function manyLayers(): Uint8Array {
  const layers = Array.from({ length: LAYERS }, (_, layer) => {
    const [x, y] = [60 + (layer % 20) * 90, 60 + Math.floor(layer / 20) * 90];
    const at = (k: number, share: number): string => {
      const angle = (2 * Math.PI * (k + share)) / CURVES;
      const radius = 40 + 6 * Math.sin(angle * 5 + layer);
      return `${(x + radius * Math.cos(angle)).toFixed(2)} ${(y + radius * Math.sin(angle)).toFixed(2)}`;
    };
    const curves = Array.from({ length: CURVES }, (_, k) => `C${at(k, 1 / 3)} ${at(k, 2 / 3)} ${at(k, 1)}`);
    return `<g aria-label="leaf ${layer}"><path d="M${at(0, 0)}${curves.join('')}Z" fill="#486"/></g>`;
  });
  return new TextEncoder().encode(
    `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 1900 1000">${layers.join('')}</svg>`,
  );
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
  const height = drawing.page[3] * drawing.scale;
  const meshes = drawing.layers.map((layer, i) => new LayerMesh(layer, parts[i], drawing, height / 150));
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
  const layers = parts.map(({ vertexPoint, positions }) => ({
    vertexPoint,
    rest: positions,
    posed: positions,
  }));
  const frame = measure(() => void writeSvg(drawing, layers), { runs: 9, warm: 3 });
  report('writing 100 posed frames', frame.median / 10, 's', { most: 5 });
}
