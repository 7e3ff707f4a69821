/** Every way in which core refuses its input; `detail` says where. */
export type CoreErrorCode =
  | 'file-empty'
  | 'file-not-gltf'
  | 'file-truncated'
  | 'file-version'
  | 'file-too-large'
  | 'file-invalid'
  | 'file-unsupported'
  | 'file-no-mesh'
  | 'delta-mismatch'
  | 'delta-invalid'
  | 'argument-invalid'
  | 'joint-locked'
  | 'no-solution'
  | 'bind-impossible'
  | 'stopped';

/** Where in the input the trouble is, as data: a JSON path, a part, counts. */
export type ErrorDetail = Readonly<Record<string, string | number>>;

/** The one error class of core. The message is a sentence that a user can act on; programs decide on `code`. */
export class CoreError extends Error {
  override readonly name = 'CoreError';
  readonly code: CoreErrorCode;
  readonly detail: ErrorDetail;

  constructor(code: CoreErrorCode, message: string, detail: ErrorDetail = {}) {
    super(message);
    this.code = code;
    this.detail = detail;
  }
}

/** The sentence of whatever was thrown. */
export const messageOf = (error: unknown): string => (error instanceof Error ? error.message : String(error));

/** Whether work ended because it was asked to. */
export const isAbort = (error: unknown): boolean =>
  // Not every surrounding counts a DOMException among the errors.
  typeof error === 'object' && error !== null && 'name' in error && error.name === 'AbortError';
