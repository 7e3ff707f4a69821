import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { segmentsOf, type Shape } from '../../drawing/drawing.ts';
import { LayerMesh } from '../../drawing/layerMesh.ts';
import { withJointSetups } from '../../document/withJointSetups.ts';
import type { JointSetup } from '../../skeleton/skeletonChange.ts';
import { createRows, influencesOf, rowSum } from '../../weights/rows.ts';
import { openGlb, writeGlb } from '../gltf/container.ts';
import { readCharacter } from '../gltf/readCharacter.ts';
import { encodeText } from '../text.ts';
import { deliverDrawing } from './deliverDrawing.ts';
import { asGlb } from '../openCharacterFile.ts';
import { drawingExtras } from './drawingJson.ts';
import { readSvg } from './readSvg.ts';
import { writeSvg } from './writeSvg.ts';

const JOINT: JointSetup = {
  ...{ id: 'a', name: 'root', parent: -1 },
  offset: [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1],
  translation: [0, 0, 0],
  rotation: [0, 0, 0, 1],
  scale: [1, 1, 1],
};

const svg = (inside: string, attributes = 'viewBox="0 0 100 200"'): Uint8Array =>
  encodeText(`<svg xmlns="http://www.w3.org/2000/svg" ${attributes}>${inside}</svg>`);

/** A layer's vertices on the page: x, y. */
function placesOf(bytes: Uint8Array, layer = 0): number[][] {
  const { drawing, positions } = readSvg(bytes);
  const { page, scale } = drawing;
  return Array.from({ length: positions[layer].length / 3 }, (_, v) => [
    positions[layer][v * 3] / scale + page[0] + page[2] / 2,
    page[1] + page[3] - positions[layer][v * 3 + 1] / scale,
  ]);
}

const near = (found: number[][], wanted: number[][]): void => {
  expect(found).toHaveLength(wanted.length);
  found.forEach((place, k) =>
    place.forEach((value, axis) => {
      expect(value).toBeCloseTo(wanted[k][axis], 3);
    }),
  );
};

const shapesOf = (bytes: Uint8Array): readonly Shape[] =>
  readSvg(bytes).drawing.layers.flatMap(({ shapes }) => shapes);

describe('what a drawing holds', () => {
  test('lines and curves, absolute and relative, are anchors and handles', () => {
    near(placesOf(svg('<path d="M10 10h20v20l-5 5H10Z"/>')), [
      [10, 10],
      [30, 10],
      [30, 30],
      [25, 35],
      [10, 35],
    ]);
    near(placesOf(svg('<path d="m0,0c10 0 20 10 20 20s-10 20-20 20q-6-9 0-18t0-22z"/>')), [
      [0, 0],
      [10, 0],
      [20, 10],
      [20, 20],
      [20, 30],
      [10, 40],
      [0, 40],
      [-4, 34],
      [-4, 28],
      [0, 22],
      [4, 16],
      [4, 26 / 3],
    ]);
  });

  test('an arc lies on its circle', () => {
    const bytes = svg('<path d="M90 50A40 40 0 0 1 10 50"/>');
    const places = placesOf(bytes);
    for (const [a, b, c, d] of segmentsOf(shapesOf(bytes)[0].outlines[0]) as [
      number,
      number,
      number,
      number,
    ][]) {
      const [x, y] = [0, 1].map(
        (k) => (places[a][k] + 3 * places[b][k] + 3 * places[c][k] + places[d][k]) / 8,
      );
      expect(Math.hypot(x - 50, y - 50)).toBeCloseTo(40, 1);
      expect(y).toBeGreaterThan(50);
    }
  });

  test('rectangles, ellipses, lines and polygons too, in any unit', () => {
    near(placesOf(svg('<rect x="10%" y="1in" width="20" height="10mm"/>')).slice(0, 3), [
      [10, 96],
      [30, 96],
      [30, 96 + 960 / 25.4],
    ]);
    expect(placesOf(svg('<circle cx="5" cy="5" r="5"/>'))).toHaveLength(12);
    expect(placesOf(svg('<rect width="9" height="9" rx="2"/>'))).toHaveLength(16);
    near(placesOf(svg('<polygon points="0,0 4,0 4,4 0,0"/>')), [
      [0, 0],
      [4, 0],
      [4, 4],
    ]);
  });

  test('transforms are carried out, one inside another', () => {
    const bytes = svg(
      '<g transform="translate(10 20) rotate(90)"><g transform="scale(2)"><path transform="skewX(45)" d="M0 0L1 0L1 1Z"/></g></g>',
    );
    near(placesOf(bytes), [
      [10, 20],
      [10, 22],
      [8, 24],
    ]);
  });

  test('named groups are layers, from back to front; what lies loose between them is one too', () => {
    const { drawing } = readSvg(
      svg(
        '<g id="puppet"><g id="arm"><path d="M0 0h9v9z"/><path d="M0 0h9v9z"/></g><rect width="3" height="3"/><g aria-label="leg &amp; foot"><path d="M0 0h9v9z"/></g></g>',
      ),
    );
    expect(drawing.layers.map(({ name, shapes }) => [name, shapes.length])).toEqual([
      ['arm', 2],
      ['puppet', 1],
      ['leg & foot', 1],
    ]);
  });

  test('looks come from attributes, styles and style sheets, and are inherited', () => {
    const [a, b, c, d] = shapesOf(
      svg(
        `<style>.b{fill:rgb(0,0,255);fill-opacity:50%} #c{fill:none;stroke:#0f0}</style>
        <g fill="red" opacity="0.5"><path d="M0 0h9v9z"/><path class="b" d="M0 0h9v9z"/>
        <path id="c" class="b" d="M0 0h9v9z" stroke-width="2"/><path style="fill:#123456" fill="red" fill-rule="evenodd" d="M0 0h9v9z"/></g>`,
      ),
    );
    expect(a.fill).toEqual({ colour: '#ff0000', opacity: 0.5 });
    expect(b.fill).toEqual({ colour: '#0000ff', opacity: 0.25 });
    expect(c.fill).toBeUndefined();
    expect(c.stroke).toMatchObject({ width: 2, paint: { colour: '#00ff00' } });
    expect(d).toMatchObject({ fillRule: 'evenodd', fill: { colour: '#123456' } });
  });

  test('a gradient says what it is at each place of the page', () => {
    const [{ fill }] = shapesOf(
      svg(
        `<linearGradient id="a"><stop offset="0" stop-color="#000"/><stop offset="1" stop-color="#fff"/></linearGradient>
        <linearGradient id="b" href="#a" x1="0" x2="0" y2="1"/><rect x="10" y="20" width="30" height="40" fill="url(#b)"/>`,
      ),
    );
    expect(fill?.colour).toBe('#808080');
    const [a, b, c, d, e, f] = fill?.gradient?.place ?? [];
    expect(a * 99 + c * 20 + e).toBeCloseTo(0, 9);
    expect(a * 7 + c * 60 + e).toBeCloseTo(1, 9);
    expect(b * 10 + d * 20 + f).not.toBeNaN();
  });

  test('uses and symbols are drawn where they are used', () => {
    const bytes = svg(
      `<symbol id="s" viewBox="0 0 10 10"><path d="M0 0H10V10Z"/></symbol><use href="#s" x="5" y="6" width="20" height="40"/>`,
    );
    near(placesOf(bytes), [
      [5, 16],
      [25, 16],
      [25, 36],
    ]);
  });

  test('a clip path is a part of what it clips: its points are points too, and it goes out again', () => {
    const bytes = svg(
      `<clipPath id="c"><rect transform="translate(1 0)" width="4" height="8"/></clipPath>
      <g transform="scale(2)"><rect width="10" height="4" fill="red" clip-path="url(#c)"/></g>`,
    );
    const { drawing, positions, notes } = readSvg(bytes);
    expect(notes).toEqual([]);
    const [{ clip }] = drawing.layers[0].shapes;
    expect(clip?.outlines).toEqual([{ first: 4, segments: 'LLLL', closed: true }]);
    near(placesOf(bytes).slice(4), [
      [2, 0],
      [10, 0],
      [10, 16],
      [2, 16],
    ]);
    const vertexPoint = Uint32Array.from({ length: 8 }, (_, v) => v);
    const mesh = new LayerMesh(
      drawing.layers[0],
      { positions: positions[0], vertexPoint, vertexCount: 8 },
      drawing,
      0.01,
    );
    const places = new Float32Array(mesh.count * 3);
    mesh.place(positions[0], places);
    const drawn = [...mesh.triangles].map((v) => places[v * 3] / drawing.scale + 50);
    expect(Math.min(...drawn)).toBeCloseTo(2, 1);
    expect(Math.max(...drawn)).toBeCloseTo(10, 1);
    const layer = { vertexPoint, rest: positions[0], posed: positions[0] };
    const again = readSvg(encodeText(writeSvg(drawing, [layer])));
    expect(again.drawing.layers[0].shapes).toEqual(drawing.layers[0].shapes);
  });

  test('what is left out is told', () => {
    const { notes } = readSvg(
      svg(
        `<script>alert(1)</script><text>Hello</text><text>you</text><g display="none"><path d="M0 0h1v1z"/></g>
        <use href="other.svg#a"/><g id="r"><use href="#r"/></g><path filter="url(#f)" d="M0 0h9v9z"/>`,
      ),
    );
    expect(notes).toEqual([
      'Left out: a script.',
      'Left out: a text, 2 times.',
      'Left out: a reference to another file.',
      'Left out: a reference that leads back to itself.',
      'Left out: a filter.',
      '1 hidden element of the drawing stayed out.',
    ]);
  });
});

describe('what cannot be read is refused', () => {
  test.each([
    ['an empty page', svg('<g/>'), /nothing to bend/],
    ['entities of its own', encodeText('<!DOCTYPE svg [<!ENTITY a "b">]><svg/>'), /entities/],
    ['broken XML', encodeText('<svg><g></svg>'), /well-formed/],
    ['another kind of XML', encodeText('<html/>'), /no drawing/],
    ['zero sizes', svg('<rect width="0" height="9"/><circle r="-1"/>'), /nothing to bend/],
    ['too many points', svg(`<path d="M0 0${'L1 1L2 2'.repeat(60_000)}"/>`), /more than 100000 points/],
  ])('%s', (_, bytes, words) => {
    expect(() => readSvg(bytes)).toThrow(words);
  });

  test('a path is drawn up to where it breaks off', () => {
    expect(readSvg(svg('<path d="M0 0L9 0L9 9Z M1 1 L 2 oops"/>')).notes).toEqual([
      'Left out: the end of a path that cannot be read.',
    ]);
  });

  test('a page without a size is as large as what is drawn', () => {
    expect(readSvg(svg('<path d="M10 10h30v60z"/>', '')).drawing.page).toEqual([10, 10, 30, 60]);
  });
});

describe('a flat character', () => {
  const source = svg(
    `<radialGradient id="g"><stop offset="0" stop-color="#fff"/><stop offset="1" stop-color="#000" stop-opacity="0.5"/></radialGradient>
    <g id="arm"><path d="M10 10C20 0 30 0 40 10L40 60Q25 70 10 60Z" fill="url(#g)"/></g>
    <g id="line"><path d="M0 0C10 10 20 10 30 0" fill="none" stroke="#808" stroke-width="3" stroke-linecap="round"/></g>`,
  );

  test('is kept as a glTF file that holds the drawing as it came', async () => {
    const glb = openGlb(asGlb(source));
    const character = await readCharacter(glb);
    expect(character.parts.map(({ name, role }) => [name, role])).toEqual([
      ['arm', 'skinned'],
      ['line', 'skinned'],
    ]);
    expect(character.drawing?.layers).toHaveLength(2);
    const view = glb.json.bufferViews?.[drawingExtras(glb.json)?.source ?? -1];
    const from = view?.byteOffset ?? 0;
    expect(glb.buffers[0].subarray(from, from + (view?.byteLength ?? 0))).toEqual(source);
  });

  test('is refused where its drawing names points that are not there', async () => {
    const glb = openGlb(asGlb(source));
    const shape = drawingExtras(glb.json)?.drawing.layers[0].shapes[0] as unknown as {
      outlines: { first: number }[];
    };
    shape.outlines[0].first = 500;
    await expect(readCharacter(glb)).rejects.toThrow('names points that are not there');
  });

  test.each([
    '<line x1="1" y1="1" x2="9" y2="9" stroke="red"/>',
    '<polyline points="1,1 5,5 9,9" fill="none" stroke="red"/>',
    '<path d="M0 0L5 0Z" fill="red"/>',
  ])('of a line that encloses nothing has all its points joined: %s', async (line) => {
    const { parts } = await readCharacter(openGlb(asGlb(svg(line))));
    expect(new Set(parts[0].triangles).size).toBe(parts[0].pointCount);
  });

  test('is refused where its colours are none', async () => {
    const glb = openGlb(asGlb(source));
    const fill = drawingExtras(glb.json)?.drawing.layers[0].shapes[0].fill as unknown as {
      gradient: { stops: unknown[] };
    };
    fill.gradient.stops = [];
    await expect(readCharacter(glb)).rejects.toThrow('drawing in this file is damaged');
  });

  test('goes out as the same drawing, and comes in again as it was', async () => {
    const { parts, drawing } = await readCharacter(openGlb(asGlb(source)));
    if (!drawing) throw new Error('There is no drawing.');
    const layers = parts.map(({ vertexPoint, positions }) => ({
      ...{ vertexPoint, rest: positions, posed: positions },
    }));
    const again = readSvg(encodeText(writeSvg(drawing, layers)));
    expect(again.drawing.page).toEqual(drawing.page);
    drawing.layers.forEach((layer, i) => {
      expect(again.drawing.layers[i].name).toBe(layer.name);
      layer.shapes.forEach(({ outlines, stroke, fill }, k) => {
        const other = again.drawing.layers[i].shapes[k];
        expect([other.outlines, other.stroke, other.fill?.colour]).toEqual([outlines, stroke, fill?.colour]);
        fill?.gradient?.place.forEach((value, n) => {
          expect(other.fill?.gradient?.place[n]).toBeCloseTo(value, 5);
        });
      });
      again.positions[i].forEach((value, k) => {
        expect(value).toBeCloseTo(readSvg(source).positions[i][k], 4);
      });
    });
  });

  test('a posed layer takes its gradient along', async () => {
    const { parts, drawing } = await readCharacter(openGlb(asGlb(source)));
    if (!drawing) throw new Error('There is no drawing.');
    fc.assert(
      fc.property(
        fc.float({ min: -3, max: 3, noNaN: true }),
        fc.float({ min: -20, max: 20, noNaN: true }),
        (turn, dx) => {
          const { positions, vertexPoint } = parts[0];
          const posed = positions.slice();
          for (let p = 0; p < posed.length; p += 3) {
            posed[p] = Math.cos(turn) * positions[p] - Math.sin(turn) * positions[p + 1] + dx * drawing.scale;
            posed[p + 1] = Math.sin(turn) * positions[p] + Math.cos(turn) * positions[p + 1];
          }
          const written = writeSvg(drawing, [{ vertexPoint, rest: positions, posed }, undefined]);
          const { drawing: again, positions: moved } = readSvg(encodeText(written));
          const before = drawing.layers[0].shapes[0].fill?.gradient?.place ?? [];
          const after = again.layers[0].shapes[0].fill?.gradient?.place ?? [];
          const far = (place: readonly number[], at: Float32Array, scale: number): number => {
            const [x, y] = [at[0] / scale + 50, 200 - at[1] / scale];
            return Math.hypot(place[0] * x + place[2] * y + place[4], place[1] * x + place[3] * y + place[5]);
          };
          expect(far(after, moved[0], again.scale)).toBeCloseTo(far(before, positions, drawing.scale), 2);
        },
      ),
      { numRuns: 20 },
    );
  });

  test('is delivered as meshes that move as its outlines do', async () => {
    const read = await readCharacter(openGlb(asGlb(source)));
    const tip: JointSetup = { ...JOINT, id: 'b', name: 'tip', parent: 0, translation: [0.1, 0.2, 0] };
    const character = withJointSetups(read, { 0: JOINT, 1: tip });
    const rows = character.parts.map(({ pointCount, positions }) => {
      const own = createRows(pointCount);
      for (let p = 0; p < pointCount; p++) {
        const share = Math.max(0, Math.min(1, positions[p * 3 + 1] - 1.4));
        own.joints.set(share > 0.5 ? [1, 0] : [0, 1], p * own.stride);
        own.values.set(share > 0.5 ? [share, 1 - share] : [1 - share, share], p * own.stride);
      }
      return own;
    });
    const glb = openGlb(writeGlb(await deliverDrawing(character, rows)));
    const out = await readCharacter(glb);
    expect(out.parts.map(({ name }) => name)).toEqual(['arm', 'line']);
    expect(out.skeleton.joints.map(({ name }) => name)).toEqual(['root', 'tip']);
    expect(out.drawing).toBeUndefined();
    // Later layers lie nearer to who looks, by equal steps.
    expect(out.parts[1].positions[2]).toBeGreaterThan(out.parts[0].positions[2]);
    out.rows.forEach((own, part) => {
      for (let p = 0; p < own.pointCount; p++) {
        expect(rowSum(own, p)).toBeCloseTo(1, 5);
        const y = out.parts[part].positions[p * 3 + 1];
        const tip = influencesOf(own, p).find(({ joint }) => joint === 1)?.weight ?? 0;
        // Weights of the outline are even in the height, and so are those that are spread from it.
        expect(Math.abs(tip - Math.max(0, Math.min(1, y - 1.4)))).toBeLessThan(0.06);
      }
    });
  });
});
