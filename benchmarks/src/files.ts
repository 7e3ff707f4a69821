import { WebIO } from '@gltf-transform/core';
import { findNeighbours, listEdges, recoverQuads, weldVertices } from '@judoka/core/mesh';
import { decodeGltf, openGlb, readCharacter, writeGlb } from '@judoka/core/formats';
import { makeFerryKeeper } from '@judoka/demo';
import { compare, report } from './measure.ts';
import { pointCount, section, surface, unit } from './context.ts';

export async function benchFiles(): Promise<void> {
  section('Files and topology');
  const { triangles, arrays } = surface;
  const polygons = recoverQuads(triangles, arrays.rest);
  const topology = await compare(() => {
    weldVertices(arrays.rest);
    listEdges(findNeighbours(polygons, pointCount));
  }, unit);
  report(`weld, edges and neighbours of ${triangles.length / 3} triangles`, topology.ratio, 'U', {
    most: 30,
  });
  report('  the first time', topology.first, 'U', { most: 100 });
  report(
    '  quads recovered besides',
    (await compare(() => recoverQuads(triangles, arrays.rest), unit, { runs: 21 })).ratio,
    'U',
  );

  const glb = await makeFerryKeeper({ size: 'large', faults: false });
  const container = openGlb(glb);
  const points = (await readCharacter(container)).parts.reduce((sum, part) => sum + part.pointCount, 0);
  const io = new WebIO();
  const alone = () => io.readBinary(glb);
  const decoding = await compare(() => decodeGltf(openGlb(glb)), alone, { runs: 25, warm: 8 });
  report(`reading ${points} points, against @gltf-transform/core alone`, decoding.ratio, '×', { most: 1.5 });
  const whole = await compare(() => readCharacter(openGlb(glb)), alone, { runs: 25, warm: 8 });
  report('  with weld, quads and weights, into a character', whole.ratio, '×');
  report('writing them', (await compare(() => writeGlb(container), unit, { runs: 15 })).ratio, 'U');
}
