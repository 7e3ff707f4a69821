export { reportOf, type CharacterReport } from './characterReport.ts';
export { reportPage } from './reportPage.ts';
export { differencePage, type DifferencePage } from './differencePage.ts';
