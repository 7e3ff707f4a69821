import { expect, test } from '@jest/globals';
import { withOutlines, type Character, type DocumentState, type Json } from '../../document/index.ts';
import { applyEdit } from '../../document/document.ts';
import type { LayerOutlines } from '../../drawing/index.ts';
import { addOutlinePoints, moveOutlinePoints } from '../../operations/outline/index.ts';
import { addJoint, setupOf } from '../../skeleton/index.ts';
import { applySkeletonChange } from '../../skeleton/skeletonChange.ts';
import { copyRows, influencesOf } from '../../weights/rows.ts';
import { exportCharacter, openGlb, readCharacter, relaidDrawing, writeGlb } from '../index.ts';
import { drawingToGlb } from './drawingGlb.ts';

const SVG = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 100">
  <g id="still"><rect width="20" height="20" fill="#123456"/></g>
  <g id="arm"><path d="M10 40 C40 30 60 30 90 40 L90 60 L10 60 Z" fill="#c04020"/></g></svg>`;

/** The drawing's file with two joints and weights: once as it is when it has been exported. */
async function exportedOnce(): Promise<Uint8Array> {
  const container = openGlb(drawingToGlb(new TextEncoder().encode(SVG)));
  const character = await readCharacter(container);
  let { skeleton } = character;
  for (const [id, parent, x] of [
    ['a', -1, -0.8],
    ['b', 0, 0],
  ] as const)
    skeleton = applySkeletonChange(skeleton, addJoint(skeleton, id, parent, id, [x, 1, 0]));
  const rows = character.rows.map(copyRows);
  rows.forEach((own, i) => {
    for (let p = 0; p < own.pointCount; p++) {
      own.joints[p * own.stride] = character.parts[i].positions[p * 3] > 0 ? 1 : 0;
      own.values[p * own.stride] = 1;
    }
  });
  const setups = Object.fromEntries(skeleton.joints.map((joint, j) => [j, setupOf(joint)]));
  return writeGlb(exportCharacter(container, character, rows, { setups }));
}

test.each([
  ['came as .svg', () => Promise.resolve(drawingToGlb(new TextEncoder().encode(SVG)))],
  ['was exported and brought in again', exportedOnce],
])('a drawing that %s is written with its added and moved points, and their weights', async (_, file) => {
  const container = openGlb(await file());
  const character = await readCharacter(container);
  const arm = 1;
  const subject = (of: Character, state: DocumentState) => {
    if (!of.drawing) throw new Error('no drawing');
    return { drawing: of.drawing, parts: of.parts, rows: state.rows, values: state.values };
  };
  let state: DocumentState = { rows: character.rows.map(copyRows), skeleton: character.skeleton, values: {} };
  const cut = [{ outline: 0, segment: 0, at: 0.4 }];
  state = applyEdit(state, addOutlinePoints(subject(character, state), new Map([[arm, cut]])).edit);
  const outlinesOf = ({ values }: DocumentState): Record<number, LayerOutlines> => ({
    [arm]: values[`parts/${arm}/outlines`] as Json & LayerOutlines,
  });
  const grown = withOutlines(character, outlinesOf(state));
  const corner = grown.parts[arm].vertexPoint[0];
  const places = new Map([[arm, new Map([[corner, [-0.9, 1.3] as const]])]]);
  state = applyEdit(state, moveOutlinePoints(subject(grown, state), places));
  const now = withOutlines(character, outlinesOf(state));

  const laid = await relaidDrawing({ container, character, rows: state.rows }, outlinesOf(state));
  const glb = writeGlb(exportCharacter(laid.container, laid.character, laid.rows));
  const read = await readCharacter(openGlb(glb));
  expect(read.drawing?.layers[arm].shapes[0].outlines[0].segments).toBe('CCLLL');
  expect(read.parts[0].positions).toEqual(character.parts[0].positions);
  const [is, was] = [read.parts[arm], now.parts[arm]];
  expect(is.vertexCount).toBe(was.vertexCount);
  is.vertexPoint.forEach((point, v) => {
    const own = was.vertexPoint[v];
    expect([...is.positions.subarray(point * 3, point * 3 + 3)]).toEqual([
      ...was.positions.subarray(own * 3, own * 3 + 3),
    ]);
    expect(influencesOf(read.rows[arm], point)).toEqual(influencesOf(state.rows[arm], own));
  });
  expect([...is.positions.subarray(0, 2)].map((x) => Number(x.toFixed(3)))).toEqual([-0.9, 1.3]);
});

test('a drawing whose outlines are the file’s stays the very file', async () => {
  const container = openGlb(drawingToGlb(new TextEncoder().encode(SVG)));
  const character = await readCharacter(container);
  const laid = await relaidDrawing({ container, character, rows: character.rows }, {});
  expect(laid.container).toBe(container);
  expect(laid.rows).toBe(character.rows);
});
