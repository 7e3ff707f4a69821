import { createTheme, type CSSVariablesResolver, type MantineColorsTuple } from '@mantine/core';
import { DAY, NIGHT, type Tokens } from './tokens.ts';

const persimmon: MantineColorsTuple = [
  '#FDEEE8',
  '#F8DACD',
  '#F2B79F',
  '#EA926F',
  '#E27247',
  DAY.accent,
  '#C44B22',
  '#A33E1D',
  '#833117',
  '#652512',
];
const indigo: MantineColorsTuple = [
  '#EEF0F5',
  '#D9DDE8',
  '#B3BBD0',
  '#8B97B7',
  '#66749F',
  '#485788',
  '#34416C',
  '#283355',
  DAY.ink,
  '#141B2E',
];

export const theme = createTheme({
  fontFamily: "'Figtree Variable', sans-serif",
  fontFamilyMonospace: "'IBM Plex Mono', monospace",
  fontSizes: { xs: '12px', sm: '13px', md: '14px', lg: '16px', xl: '20px' },
  primaryColor: 'indigo',
  primaryShade: { light: 8, dark: 4 },
  colors: { persimmon, indigo },
  defaultRadius: 4,
  cursorType: 'pointer',
  focusRing: 'auto',
  components: {
    Button: { defaultProps: { size: 'xs' } },
    TextInput: { defaultProps: { size: 'xs' } },
    PasswordInput: { defaultProps: { size: 'xs' } },
    Textarea: { defaultProps: { size: 'xs' } },
    Checkbox: { defaultProps: { size: 'xs' } },
    NumberInput: { defaultProps: { size: 'xs' } },
    Select: { defaultProps: { size: 'xs' } },
    SegmentedControl: { defaultProps: { size: 'xs' } },
    Drawer: { defaultProps: { closeButtonProps: { 'aria-label': 'Close' } } },
    Modal: { defaultProps: { closeButtonProps: { 'aria-label': 'Close' } } },
    Tooltip: { defaultProps: { openDelay: 400 } },
  },
});

function variables(tokens: Tokens): Record<string, string> {
  return {
    '--mantine-color-body': tokens.paper,
    '--mantine-color-text': tokens.ink,
    '--mantine-color-dimmed': tokens.faint,
    '--mantine-color-default': tokens.sheet,
    '--mantine-color-default-border': tokens.hairline,
    '--mantine-color-placeholder': tokens.faint,
    ...Object.fromEntries(Object.entries(tokens).map(([name, value]) => [`--${name}`, value])),
  };
}

export const cssVariables: CSSVariablesResolver = () => ({
  variables: {},
  light: variables(DAY),
  dark: variables(NIGHT),
});
