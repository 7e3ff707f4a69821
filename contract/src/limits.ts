// How much of everything there may be; refused before it is read.

/** The most that may be sent for one character's file, in bytes. */
export const MAX_UPLOAD_BYTES = 256 * 1024 * 1024;
/** One request with edits. Larger edits are sent in pieces beforehand. */
export const MAX_REQUEST_BYTES = 16 * 1024 * 1024;
/** A piece of a large edit. */
export const MAX_PIECE_BYTES = 8 * 1024 * 1024;
/** All pieces of one edit together. */
export const MAX_EDIT_BYTES = 512 * 1024 * 1024;
export const MAX_EDITS_A_REQUEST = 200;
/** What goes with a saved selection, pose or motion. */
export const MAX_ATTACHMENT_BYTES = 64 * 1024 * 1024;
export const MAX_JOINTS = 4096;
export const MAX_LAYER_POINTS = 1_000_000;
export const MAX_PARTS = 4096;
export const MAX_NAME_LENGTH = 120;
export const MAX_LABEL_LENGTH = 200;

/** Things that a character keeps under names, at most. */
export const MAX_SAVED: Readonly<Record<string, { readonly count: number; readonly what: string }>> = {
  orderRules: { count: 300, what: 'orders while a joint is turned' },
  moments: { count: 500, what: 'named moments' },
  motions: { count: 100, what: 'motions' },
  poses: { count: 300, what: 'poses' },
  dials: { count: 300, what: 'dialled poses' },
  selections: { count: 200, what: 'selections' },
  masks: { count: 100, what: 'masks' },
  dismissed: { count: 2000, what: 'dismissed strays' },
  pieces: { count: 2000, what: 'pieces' },
  ribbons: { count: 60, what: 'ribbons' },
};

/** Characters that one piece of work is asked of at once. */
export const MAX_JOBS_A_BATCH = 500;
