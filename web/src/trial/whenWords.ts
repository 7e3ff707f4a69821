import { angleWords } from '@judoka/core/analysis';
import type { TrialPose } from '@judoka/core/analysis/bends';

export const whenWords = ({ at }: TrialPose): string =>
  'angles' in at ? angleWords(at.angles) : `frame ${at.frame}, ${at.seconds.toFixed(2)} s`;
