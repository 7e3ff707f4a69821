import { handleOwners, type Layer } from './drawing.ts';

/** Uint8Array, a point each: 1 for those that no outline goes through any more; undefined where there is none. */
export function pointsTakenOut(vertexPoint: Uint32Array, pointCount: number): Uint8Array | undefined {
  const isOut = new Uint8Array(pointCount).fill(1);
  for (const point of vertexPoint) isOut[point] = 0;
  return isOut.includes(1) ? isOut : undefined;
}

/**
 * Of each point of a layer: the point of the anchor that it is the handle of; itself for an anchor.
 *
 * @param vertexPoint Uint32Array: vertex of the outlines → point
 */
export function anchorsOfPoints(layer: Layer, vertexPoint: Uint32Array, pointCount: number): Uint32Array {
  const anchors = Uint32Array.from({ length: pointCount }, (_, p) => p);
  const owners = handleOwners(layer, vertexPoint.length);
  const isAnchor = new Uint8Array(pointCount);
  owners.forEach((owner, v) => {
    if (owner === 0) isAnchor[vertexPoint[v]] = 1;
  });
  owners.forEach((owner, v) => {
    // A handle that lies on an anchor is one point with it.
    if (owner > 0 && isAnchor[vertexPoint[v]] === 0) anchors[vertexPoint[v]] = vertexPoint[owner - 1];
  });
  return anchors;
}
