/** Ink on rice paper, on screen and when printed. */
export const REPORT_STYLE = `
:root { color-scheme: light; --ink: #1e2740; --faint: #5d6478; --line: #d9d2c3; --accent: #d9572b; --holds: #2f6b4a; --fails: #a3262a; }
body { margin: 0 auto; max-width: 980px; padding: 36px 32px 60px; background: #f5f1e8; color: var(--ink); font: 15px/1.5 system-ui, sans-serif; }
header { display: flex; gap: 32px; align-items: start; justify-content: space-between; }
header img { width: 380px; max-width: 45%; }
h1 { font-size: 26px; margin: 0; overflow-wrap: anywhere; }
h2 { font-size: 17px; margin: 32px 0 8px; padding-bottom: 6px; border-bottom: 1px solid var(--line); }
p { margin: 6px 0; }
.faint { color: var(--faint); }
.verdict { margin: 16px 0; font-weight: 600; }
.holds { color: var(--holds); }
dl { display: grid; grid-template-columns: max-content auto; gap: 2px 18px; margin: 0; }
dt { color: var(--faint); }
dd { margin: 0; font-variant-numeric: tabular-nums; }
table { border-collapse: collapse; width: 100%; }
td { padding: 7px 14px 7px 0; vertical-align: top; border-bottom: 1px solid var(--line); overflow-wrap: anywhere; }
td:first-child { white-space: nowrap; }
.number { text-align: right; font-variant-numeric: tabular-nums; }
.error td:first-child { color: var(--fails); font-weight: 600; }
.settled td:first-child { color: var(--holds); font-weight: 600; }
.warning td:first-child { color: var(--accent); font-weight: 600; }
.chart { display: block; width: 100%; max-width: 760px; font: 12.5px system-ui, sans-serif; fill: var(--ink); }
.bar0 { fill: #34808a; }
.bar1 { fill: var(--accent); }
.key { font-size: 13px; margin-right: 14px; }
.key::before { content: ''; display: inline-block; width: 10px; height: 10px; margin-right: 6px; background: #34808a; }
.key1::before { background: var(--accent); }
.gallery { display: grid; grid-template-columns: repeat(auto-fill, minmax(128px, 1fr)); gap: 12px; margin: 12px 0; }
@media print { body { background: none; padding: 0; max-width: none; } section { break-inside: auto; } h2 { break-after: avoid; } }
.bends { display: grid; grid-template-columns: repeat(3, 1fr); gap: 18px; margin: 14px 0; }
figure { margin: 0; break-inside: avoid; }
figure img { width: 100%; background: #fbf8f1; border: 1px solid var(--line); box-sizing: border-box; }
figcaption { font-size: 13.5px; overflow-wrap: anywhere; }
`;
