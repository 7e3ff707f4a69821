import type { Picture } from '../../drawing/drawing.ts';
import type { LayerMesh, MeshPiece } from '../../drawing/layerMesh.ts';
import { encodeBase64 } from '../../memory/encodeBase64.ts';
import type { SvgMatrix } from './svgMatrix.ts';

/** Triangles of a bent picture lap over their neighbours by so many pixels, so that no seam shows. */
const LAP = 0.6;

/** A picture among a file's definitions. */
export const pictureDefinition = ({ mime, width, height, bytes }: Picture, id: string): string =>
  `<image id="${id}" width="${width}" height="${height}" href="data:${mime};base64,${encodeBase64(bytes)}"/>`;

type Place = readonly [number, number];

/** How pixels of a picture lie on the page: one matrix for each triangle of a bent one, and what is seen through it. */
export interface PictureTriangle {
  readonly matrix: SvgMatrix;
  /** Corners in pixels. */
  readonly corners: readonly Place[];
}

/**
 * A bent picture in pieces that each moves as a whole.
 *
 * @param places where the mesh's places are on the page, 2 a place
 */
export function pictureTriangles(
  mesh: LayerMesh,
  { firstTriangle, triangleCount }: MeshPiece,
  { width, height }: Picture,
  places: Float64Array,
): PictureTriangle[] {
  const found: PictureTriangle[] = [];
  for (let t = firstTriangle; t < firstTriangle + triangleCount; t++) {
    const corners = [0, 1, 2].map((k) => mesh.triangles[t * 3 + k]);
    const pixels = corners.map((p): Place => [mesh.uvs[p * 2] * width, mesh.uvs[p * 2 + 1] * height]);
    const posed = corners.map((p): Place => [places[p * 2], places[p * 2 + 1]]);
    const matrix = matrixBetween(pixels, posed);
    if (matrix) found.push({ matrix, corners: lapped(pixels) });
  }
  return found;
}

/** The matrix that puts three places onto three others; undefined where they lie in a line. */
function matrixBetween(from: readonly Place[], to: readonly Place[]): SvgMatrix | undefined {
  const [[ax, ay], [bx, by], [cx, cy]] = from;
  const [[u0, v0], [u1, v1], [u2, v2]] = to;
  const [px, py, qx, qy] = [bx - ax, by - ay, cx - ax, cy - ay];
  const area = px * qy - py * qx;
  if (Math.abs(area) < 1e-9) return undefined;
  const [du1, du2, dv1, dv2] = [u1 - u0, u2 - u0, v1 - v0, v2 - v0];
  const [a, c] = [(du1 * qy - du2 * py) / area, (du2 * px - du1 * qx) / area];
  const [b, d] = [(dv1 * qy - dv2 * py) / area, (dv2 * px - dv1 * qx) / area];
  return [a, b, c, d, u0 - a * ax - c * ay, v0 - b * ax - d * ay];
}

/** Corners a little farther from their middle. */
function lapped(corners: readonly Place[]): Place[] {
  const [x, y] = [0, 1].map((k) => (corners[0][k] + corners[1][k] + corners[2][k]) / 3);
  return corners.map(([u, v]): Place => {
    const far = Math.hypot(u - x, v - y) || 1;
    return [u + ((u - x) / far) * LAP, v + ((v - y) / far) * LAP];
  });
}
