export { reportOf, type CharacterReport } from './characterReport.ts';
export { reportFigures } from './reportFigures.ts';
export { reportPage } from './reportPage.ts';
export { differencePage, type DifferencePage } from './differencePage.ts';
