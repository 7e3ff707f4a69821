/** Something that is on the stage and not in the log: a proposal, weights by reach. */
export interface Shown {
  readonly label: string;
  drop(): Promise<void> | void;
  /** Takes back, or does again, a step of its own. @returns whether there was one */
  step?(kind: 'undo' | 'redo'): boolean;
  /** Takes it off the document; what is returned puts it on whatever is there then. */
  takeOff(): () => void;
}
