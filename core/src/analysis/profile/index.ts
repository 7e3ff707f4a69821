export {
  jointsByPart,
  profileLines,
  type Limit,
  type ProfileLine,
  type ProfileSubject,
} from './profileLines.ts';
export { takenNames } from './takenNames.ts';
