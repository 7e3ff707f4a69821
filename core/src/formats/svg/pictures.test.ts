import { Buffer } from 'node:buffer';
import { describe, expect, test } from '@jest/globals';
import { encode } from 'fast-png';
import { zlibSync } from 'fflate';
import { drawDrawing } from '../../analysis/picture/index.ts';
import { LayerMesh, type Drawing } from '../../drawing/index.ts';
import { createRows } from '../../weights/rows.ts';
import { openGlb, readCharacter, deliverDrawing, writeGlb, writeSvg } from '../index.ts';
import { drawingToGlb } from './drawingGlb.ts';
import { readSvg } from './readSvg.ts';
import { tracePicture } from './tracePicture.ts';

const WIDTH = 120;
const HEIGHT = 60;

/** A disc of a colour, clear around it. */
function disc(middle: number, colour: readonly [number, number, number] = [200, 80, 40]): Uint8Array {
  const data = new Uint8Array(WIDTH * HEIGHT * 4);
  for (let y = 0; y < HEIGHT; y++)
    for (let x = 0; x < WIDTH; x++)
      data.set([...colour, Math.hypot(x + 0.5 - middle, y + 0.5 - 30) < 25 ? 255 : 0], (y * WIDTH + x) * 4);
  return encode({ width: WIDTH, height: HEIGHT, data, channels: 4 });
}

const base64 = (bytes: Uint8Array): string => Buffer.from(bytes).toString('base64');
const image = (bytes: Uint8Array, more = '', mime = 'image/png'): string =>
  `<image width="${WIDTH}" height="${HEIGHT}" href="data:${mime};base64,${base64(bytes)}" ${more}/>`;
const svg = (content: string): Uint8Array =>
  new TextEncoder().encode(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 200 100">${content}</svg>`);

const openDrawing = async (content: string) => {
  const character = await readCharacter(openGlb(drawingToGlb(svg(content))));
  return { ...character, drawing: character.drawing as Drawing };
};

describe('a picture in a layer', () => {
  test('gets an outline around what is seen of it, and lies where it lay', async () => {
    const { drawing, parts } = await openDrawing(
      `<g id="ball" transform="translate(50 10) scale(.5)">${image(disc(40))}</g>`,
    );
    const { page, scale } = drawing;
    for (let p = 0; p < parts[0].pointCount; p++) {
      const x = parts[0].positions[p * 3] / scale + page[0] + page[2] / 2;
      const y = page[1] + page[3] - parts[0].positions[p * 3 + 1] / scale;
      // The disc is 25 pixels in radius about 40, 30: half of that on the page.
      expect(Math.abs(Math.hypot(x - 70, y - 25) - 12.5)).toBeLessThan(1.2);
    }
    expect(parts[0].pointCount).toBeGreaterThan(7);
    expect(drawing.layers[0].shapes[0].fill?.colour).toBe('#c85028');
    const mesh = new LayerMesh(drawing.layers[0], parts[0], drawing, 0.02);
    for (let p = 0; p < mesh.count; p++) {
      const [u, v] = [mesh.uvs[p * 2] * WIDTH, mesh.uvs[p * 2 + 1] * HEIGHT];
      expect(Math.hypot(u - 40, v - 30)).toBeLessThan(28);
    }
  });

  test('is seen on cards, and goes out as a texture', async () => {
    const character = await openDrawing(
      `<g id="ball">${image(disc(60))}</g><rect width="20" height="20" fill="#123456"/>`,
    );
    const { width, pixels } = drawDrawing(character.drawing, character.parts, 200, 100);
    const middle = (50 * width + 84) * 4 - 200 * 4 * 20;
    expect([...pixels.subarray(middle, middle + 3)]).toEqual([200, 80, 40]);
    const rows = character.parts.map(({ pointCount }) => createRows(pointCount));
    const glb = writeGlb(await deliverDrawing(character, rows));
    expect((await readCharacter(openGlb(glb))).parts).toHaveLength(2);
    const { json } = openGlb(glb) as unknown as { json: Record<string, unknown[]> };
    expect([json.images.length, json.textures.length]).toEqual([1, 1]);
  });

  test('that moves as a whole is one picture in the posed drawing; one that bends is many pieces', async () => {
    const { drawing, parts } = await openDrawing(`<g id="ball">${image(disc(60))}</g>`);
    const posed = (bend: (x: number, y: number) => number) => [
      {
        vertexPoint: parts[0].vertexPoint,
        rest: parts[0].positions,
        posed: parts[0].positions.map((value, k, all) => (k % 3 === 1 ? bend(all[k - 1], value) : value)),
      },
    ];
    const whole = writeSvg(
      drawing,
      posed((_, y) => y + 0.2),
    );
    expect(whole.match(/<use /g)).toHaveLength(1);
    expect(whole).not.toContain('clipPath');
    const again = readSvg(new TextEncoder().encode(whole));
    expect(again.drawing.layers[0].shapes[0].outlines[0].segments).toBe(
      drawing.layers[0].shapes[0].outlines[0].segments,
    );
    const bent = writeSvg(
      drawing,
      posed((x, y) => y + 0.3 * Math.sin(3 * x)),
    );
    expect(bent.match(/<use /g)?.length).toBeGreaterThan(30);
    expect(bent.match(/data:image\/png/g)).toHaveLength(1);
  });

  test('that is shown twice is kept once', async () => {
    const twice = `<g id="a">${image(disc(60))}</g><g id="b">${image(disc(60), 'y="40"')}</g>`;
    expect((await openDrawing(twice)).drawing.pictures).toHaveLength(1);
  });

  test.each([
    [
      'another file',
      '<image width="9" height="9" href="http://127.0.0.1:9/x.png"/>',
      'a picture in another file',
    ],
    ['another kind', image(Uint8Array.of(1, 2, 3), '', 'image/webp'), 'a picture of another kind'],
    ['bytes that are none', image(Uint8Array.of(1, 2, 3)), 'a picture that is damaged'],
    ['a torn one', image(disc(60).slice(0, 120)), 'a picture that is damaged'],
    ['nothing seen', image(disc(-500)), 'a picture on which nothing is seen'],
    [
      'more pixels than there may be',
      image(withSize(disc(60), 90_000, 90_000)),
      'a picture that is too large',
    ],
    ['rows that unpack to more than it says', image(bomb()), 'a picture that is damaged'],
  ])('of %s is left out, and told', (_, content, what) => {
    const { notes, drawing } = readSvg(svg(`<rect width="20" height="20" fill="red"/>${content}`));
    expect(notes).toEqual([`Left out: ${what}.`]);
    expect(drawing.layers).toHaveLength(1);
  });
});

function withSize(png: Uint8Array, width: number, height: number): Uint8Array {
  const out = png.slice();
  new DataView(out.buffer).setUint32(16, width);
  new DataView(out.buffer).setUint32(20, height);
  return out;
}

/** A picture of a few pixels whose rows are 64 MB of nothing. */
function bomb(): Uint8Array {
  const small = encode({ width: 2, height: 2, data: new Uint8Array(16), channels: 4 });
  const rows = zlibSync(new Uint8Array(64 * 2 ** 20));
  const chunk = new Uint8Array(rows.length + 12);
  new DataView(chunk.buffer).setUint32(0, rows.length);
  chunk.set(new TextEncoder().encode('IDAT'), 4);
  chunk.set(rows, 8);
  return Uint8Array.from([...small.slice(0, 33), ...chunk, ...small.slice(-12)]);
}

describe('an outline', () => {
  test('of a ring has a hole; of two islands there are two; specks are passed over', () => {
    const size = 100;
    const of = (seen: (x: number, y: number) => boolean) =>
      tracePicture(
        size,
        size,
        Float32Array.from({ length: size * size }, (_, p) => Number(seen(p % size, Math.floor(p / size)))),
      );
    expect(of((x, y) => Math.abs(Math.hypot(x - 50, y - 50) - 30) < 10)).toHaveLength(2);
    expect(of((x) => x < 30 || x > 60)).toHaveLength(2);
    expect(of((x, y) => x < 60 || (x === 90 && y === 90))).toHaveLength(1);
    expect(of(() => false)).toHaveLength(0);
  });

  test('of a solid picture is its box, with anchors along its sides', () => {
    const [ring] = tracePicture(300, 100, undefined);
    expect(ring).toContainEqual([300, 100]);
    expect(ring.length).toBeGreaterThan(12);
  });
});
