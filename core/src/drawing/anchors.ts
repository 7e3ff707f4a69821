import { handleOwners, type Layer } from './drawing.ts';

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
