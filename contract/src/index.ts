// What crosses the wire, in reading order.
export { ERROR_CODES, errorAnswer, type ErrorAnswer, type ErrorCode } from './errors.ts';
export * from './schemas.ts';
export { packFrame, unpackFrame, type Frame } from './frame.ts';
export { decodeChange, decodeRows, encodeChange, encodeChangeInTurns, encodeRows } from './weightBytes.ts';
