export { CrossingFinder, NO_CROSSING, type Crossing } from './crossings.ts';
