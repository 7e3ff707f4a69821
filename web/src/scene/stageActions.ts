/** Where the stage is looked at from: as the body stands, not as axes run. */
export const LOOKS = ['front', 'side', 'back', 'above'] as const;
export type Look = (typeof LOOKS)[number];
export const LOOK_NAMES: Readonly<Record<Look, string>> = {
  front: 'From the front',
  side: 'From its left; once more, from its right',
  back: 'From the back',
  above: 'From above; once more, from below',
};

interface StageActions {
  frameAll(): void;
  frameJoint(): void;
  frameSelection(): void;
  look(from: Look): void;
  sizing(held: boolean): void;
  /** The stage as a small picture, a data address. */
  picture(): string;
}

let stage: StageActions | undefined;

/** The stage registers what keys and commands can do on it. @returns the function that takes it back */
export function stageKeys(actions: StageActions): () => void {
  stage = actions;
  return () => {
    if (stage === actions) stage = undefined;
  };
}

export const stageActions = (): StageActions | undefined => stage;
