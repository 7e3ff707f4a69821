/** Softness where none is asked for: borders are narrow, most points follow one joint. */
export const DEFAULT_SOFTNESS = 0.25;
