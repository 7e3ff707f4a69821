/** The five stages of the work, in its order. */
export const STEPS = ['check-in', 'bind', 'paint', 'trial', 'deliver'] as const;
export type Step = (typeof STEPS)[number];

export const STEP_NAMES: Readonly<Record<Step, string>> = {
  'check-in': 'Check-in',
  bind: 'Bind',
  paint: 'Paint',
  trial: 'Trial',
  deliver: 'Deliver',
};

export function isStep(text: string): text is Step {
  return (STEPS as readonly string[]).includes(text);
}
