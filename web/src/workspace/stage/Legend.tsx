import type { Workspace } from '../Workspace.ts';
import type { WeightView } from '../../settings/uiSettings.ts';
import { APART, COUNT_COLOURS, STRAIN_COLOURS, TIDE } from '../../ui/theme/tokens.ts';

const rampCss = (ramp: typeof TIDE): string =>
  `linear-gradient(to right, ${ramp.map(([stop, colour]) => `${colour} ${stop * 100}%`).join(', ')})`;

const GRADIENTS: Readonly<Partial<Record<WeightView, string>>> = {
  tide: rampCss(TIDE),
  grey: 'linear-gradient(to right, #ededed, #1a1a1a)',
};

/** What the colours on the model mean. */
export function Legend({ at, view }: { at: Workspace; view: WeightView }) {
  if (view === 'count') return <CountLegend />;
  if (view === 'strain') return <StrainLegend />;
  if (view === 'sides') return <SidesLegend />;
  const gradient = GRADIENTS[view];
  if (!gradient || at.scene.joint < 0) return null;
  return (
    <div className="legend" aria-hidden="true">
      <div className="legend-bar" style={{ background: gradient }} />
      <div className="legend-ends figures">
        <span>0</span>
        <span>{at.document.jointName(at.scene.joint)}</span>
        <span>1</span>
      </div>
    </div>
  );
}

function CountLegend() {
  return (
    <div className="legend" aria-hidden="true">
      <div className="legend-counts">
        {COUNT_COLOURS.map((colour, count) => (
          <div key={colour} style={{ background: colour }}>
            <span className="figures">{count}</span>
          </div>
        ))}
      </div>
    </div>
  );
}

function SidesLegend() {
  return (
    <div className="legend" aria-hidden="true">
      <div className="legend-bar" style={{ background: rampCss(APART) }} />
      <div className="legend-ends figures">
        <span>alike</span>
        <span>weight apart</span>
        <span>1</span>
      </div>
    </div>
  );
}

function StrainLegend() {
  const { squeezed, stretched } = STRAIN_COLOURS;
  return (
    <div className="legend" aria-hidden="true">
      <div
        className="legend-bar"
        style={{ background: `linear-gradient(to right, ${squeezed}, ${TIDE[0][1]} 50%, ${stretched})` }}
      />
      <div className="legend-ends figures">
        <span>half</span>
        <span>length</span>
        <span>double</span>
      </div>
    </div>
  );
}
