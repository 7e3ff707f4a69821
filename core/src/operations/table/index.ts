export { applyTable, TABLE_BY, type TableBy, type TableReport, type TableSubject } from './applyTable.ts';
