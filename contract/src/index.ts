// What crosses the wire, in reading order.
export { ERROR_CODES, errorAnswer, type ErrorAnswer, type ErrorCode } from './errors.ts';
export * from './limits.ts';
export * from './text.ts';
export * from './people.ts';
export * from './character.ts';
export * from './jobs.ts';
export * from './place.ts';
export * from './deliveries.ts';
export { jointSetups, skeletonChange } from './joints.ts';
export { documentValues, schemaOfPath, valueChange } from './values.ts';
export * from './edits.ts';
export * from './history.ts';
export { packFrame, unpackFrame, type Frame } from './frame.ts';
export { decodeMask, encodeMask } from './maskBytes.ts';
export { decodeSelection, encodeSelection } from './selectionBytes.ts';
export { decodeMomentFile, encodeMomentFile, type MomentFileHeader } from './momentFile.ts';
export { decodeRows, encodeRows } from './rowBytes.ts';
export { decodeWeights, encodeWeights, encodeWeightsInTurns } from './changeBytes.ts';
