import type { Character, CharacterPart } from '../document/character.ts';
import { controlTriangles, type Layer } from '../drawing/index.ts';
import { createRows, type WeightRows } from '../weights/rows.ts';
import { partOf, skeletonOf } from './testBody.ts';

type Place = readonly [number, number];

/** A layer of one closed outline of straight lines; `joint` says what each anchor follows whole. */
export interface TestLayer {
  readonly name: string;
  readonly anchors: readonly Place[];
  readonly joint: (place: Place) => number;
}

/** A flat character of such layers, for tests. @param joints name, parent and place of each */
export function drawingOf(
  joints: readonly (readonly [string, number, Place])[],
  layers: readonly TestLayer[],
): Character {
  const places = joints.map(([, , [x, y]]) => [x, y, 0] as const);
  const made = layers.map(
    ({ name, anchors, joint }): { layer: Layer; part: CharacterPart; rows: WeightRows } => {
      const positions = anchors.flatMap(([x, y]) => [x, y, 0]);
      const outlines = [{ first: 0, segments: 'L'.repeat(anchors.length), closed: true }];
      const fill = { colour: '#446688', opacity: 1 };
      const layer: Layer = { name, shapes: [{ outlines, fillRule: 'nonzero', fill }] };
      const part = partOf(
        name,
        positions,
        [...controlTriangles(layer, Float32Array.from(positions))],
        places,
      );
      for (let k = 2; k < part.normals.length; k += 3) part.normals[k] = 1;
      const rows = createRows(anchors.length);
      anchors.forEach((place, p) => {
        rows.joints[p * rows.stride] = joint(place);
        rows.values[p * rows.stride] = 1;
      });
      return { layer, part, rows };
    },
  );
  return {
    drawing: { page: [0, 0, 20, 20], scale: 1, layers: made.map(({ layer }) => layer) },
    parts: made.map(({ part }) => part),
    rows: made.map(({ rows }) => rows),
    skeleton: skeletonOf(joints.map(([name, parent, [x, y]]) => [name, parent, [x, y, 0]])),
    sourceWeights: made.map(({ part }) => ({
      sums: [],
      brokenVertices: [],
      seams: { points: [], vertices: [] },
      asCame: new Uint8Array(part.vertexCount),
    })),
    clips: [],
    plainNodes: [],
    materialCount: 0,
    notes: [],
  } as unknown as Character;
}
