interface StageActions {
  frameAll(): void;
  frameJoint(): void;
  frameSelection(): void;
  sizing(held: boolean): void;
  /** The stage as a small picture, a data address. */
  picture(): string;
}

export let stage: StageActions | undefined;

/** The stage registers what keys and commands can do on it. @returns the function that takes it back */
export function stageKeys(actions: StageActions): () => void {
  stage = actions;
  return () => {
    if (stage === actions) stage = undefined;
  };
}

export const stageActions = (): StageActions | undefined => stage;
