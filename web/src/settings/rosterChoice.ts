export const FILTERS = [
  { value: 'all', label: 'All joints' },
  { value: 'weighted', label: 'Weighted' },
  { value: 'idle', label: 'Unweighted' },
  { value: 'trouble', label: 'Trouble' },
  { value: 'selection', label: 'Selected' },
  { value: 'region', label: 'Its limb' },
  { value: 'left', label: 'Left' },
  { value: 'middle', label: 'Middle' },
  { value: 'right', label: 'Right' },
] as const;
export type Filter = (typeof FILTERS)[number]['value'];

export const ORDERS = [
  { value: 'tree', label: 'Tree' },
  { value: 'name', label: 'Name' },
  { value: 'weight', label: 'Weight' },
  { value: 'trouble', label: 'Trouble' },
] as const;
export type Order = (typeof ORDERS)[number]['value'];
