import type { Workspace } from '../Workspace.ts';
import type { WeightView } from '../../settings/uiSettings.ts';
import { useEvent } from '../../document/useEvent.ts';
import { lengthWords } from '../../ui/lengthWords.ts';
import { useUiSettings } from '../../settings/store.ts';
import { APART, COUNT_COLOURS, LESS, STRAIN_COLOURS, TIDE } from '../../ui/theme/tokens.ts';

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
  if (view === 'difference') return <DifferenceLegend at={at} />;
  if (view === 'cost') return <CostLegend at={at} />;
  if (view === 'mask') return <MaskLegend at={at} />;
  if (view === 'shape') return <ShapeLegend />;
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

/** How far the shape that is looked at moves points, against the farthest. */
function ShapeLegend() {
  return (
    <div className="legend" aria-hidden="true">
      <div className="legend-bar" style={{ background: rampCss(APART) }} />
      <div className="legend-ends figures">
        <span>stays</span>
        <span>farthest</span>
      </div>
    </div>
  );
}

function MaskLegend({ at }: { at: Workspace }) {
  useEvent(at.masks.events, 'changed');
  return (
    <div className="legend" aria-hidden="true">
      <div className="legend-bar" style={{ background: rampCss(APART) }} />
      <div className="legend-ends figures">
        <span>none</span>
        <span>{at.masks.current?.name}</span>
        <span>all</span>
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

function CostLegend({ at }: { at: Workspace }) {
  useEvent(at.delivering.events, 'changed');
  const most = at.delivering.measured?.cost.greatest;
  return (
    <div className="legend" aria-hidden="true">
      <div className="legend-bar" style={{ background: rampCss(APART) }} />
      <div className="legend-ends figures">
        <span>stays</span>
        <span>{most === undefined ? 'not measured' : 'moves at most'}</span>
        <span>{most === undefined ? '' : lengthWords(most)}</span>
      </div>
    </div>
  );
}

function DifferenceLegend({ at }: { at: Workspace }) {
  const { differenceOf } = useUiSettings('differenceOf');
  const isOne = differenceOf === 'joint';
  const left = LESS.map(([stop, colour]) => `${colour} ${(1 - stop) * 50}%`).reverse();
  const right = APART.map(([stop, colour]) => `${colour} ${50 + stop * 50}%`);
  const ramp = isOne ? `linear-gradient(to right, ${[...left, ...right].join(', ')})` : rampCss(APART);
  const name = isOne && at.scene.joint >= 0 ? at.document.jointName(at.scene.joint) : 'all joints';
  return (
    <div className="legend" aria-hidden="true">
      <div className="legend-bar" style={{ background: ramp }} />
      <div className="legend-ends figures">
        <span>{isOne ? '−1, less' : 'alike'}</span>
        <span>{name}</span>
        <span>{isOne ? 'more, +1' : '1'}</span>
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
