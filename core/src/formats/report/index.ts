export { reportOf, type CharacterReport } from './characterReport.ts';
export { reportPage } from './reportPage.ts';
