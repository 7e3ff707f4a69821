export const FILTERS = [
  { value: 'all', label: 'All joints' },
  { value: 'weighted', label: 'With weight' },
  { value: 'idle', label: 'Without weight' },
  { value: 'trouble', label: 'With trouble' },
  { value: 'selection', label: 'In the selection' },
  { value: 'region', label: 'Region of the chosen' },
  { value: 'left', label: 'Left' },
  { value: 'middle', label: 'Middle' },
  { value: 'right', label: 'Right' },
] as const;
export type Filter = (typeof FILTERS)[number]['value'];

export const ORDERS = [
  { value: 'tree', label: 'As a tree' },
  { value: 'name', label: 'By name' },
  { value: 'weight', label: 'By weight' },
  { value: 'trouble', label: 'By trouble' },
] as const;
export type Order = (typeof ORDERS)[number]['value'];
