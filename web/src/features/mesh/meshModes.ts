import type { MeshMode } from '../../settings/uiSettings.ts';

/** What the tool for the mesh does, as the person reads it. */
export const MESH_MODES: Readonly<Record<MeshMode, string>> = {
  drag: 'Drag',
  out: 'Out',
  in: 'In',
  even: 'Even',
  flatten: 'Flatten',
  pinch: 'Pinch',
  loop: 'Loop',
  point: 'Point',
  turn: 'Turn',
  takeOut: 'Take out',
};

export const MESH_WORDS: Readonly<Record<MeshMode, string>> = {
  drag: 'Take points, or the selection by one of its points, and put them where they should be.',
  out: 'Pushes points out, along the normals.',
  in: 'Pulls points in, along the normals.',
  even: 'Evens the surface out: each point toward the middle of its neighbours.',
  flatten: 'Presses points onto the plane that lies through what is under the brush.',
  pinch: 'Draws points together under the brush.',
  loop: 'Puts a loop across a row of quads. Press an edge, slide along it, let go. Shift: the middle.',
  point: 'Puts a point on an edge; the faces beside it are divided from there. Shift: the middle.',
  turn: 'Turns an edge on by one corner, within the two faces that it parts.',
  takeOut: 'Takes out the point that is clicked; the surface is filled over.',
};
