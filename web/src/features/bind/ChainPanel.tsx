import { Slider, Switch } from '@mantine/core';
import { ActionButton } from '../../ui/ActionButton.tsx';
import { type ChainSettings, DEFAULT_CHAIN } from '@judoka/core/operations/bind';
import { useState } from 'react';
import { proposeChain } from './handwork.ts';
import { chosenChainIfAny } from '../../scene/chosenChain.ts';
import { useEvent } from '../../document/useEvent.ts';
import { useUiSettings } from '../../settings/store.ts';
import type { Editing } from '../../scene/Editing.ts';

type At = Editing;

const SLIDERS: readonly {
  readonly field: 'overlap' | 'holdStart' | 'holdEnd';
  readonly label: string;
  readonly most: number;
}[] = [
  { field: 'overlap', label: 'Overlap', most: 1 },
  { field: 'holdStart', label: 'Held start', most: 0.45 },
  { field: 'holdEnd', label: 'Held end', most: 0.45 },
];

/** Spreads the selected surface along a chain of joints; what the sliders say is on the stage at once. */
export function ChainPanel({ at }: { at: At }) {
  useEvent(at.scene.events, 'joint');
  useEvent(at.scene.events, 'selection');
  useEvent(at.document.events, 'shown');
  useEvent(at.document.events, 'joints');
  const { limit } = useUiSettings('limit');
  const [settings, setSettings] = useState<ChainSettings>(DEFAULT_CHAIN);
  /** What is called what is spread now, for as long as it is proposed. */
  const [spreading, setSpreading] = useState<string>();
  /** Spreadings that are under way: the sliders stay under the hand meanwhile. */
  const [pending, setPending] = useState(0);
  const chain = chosenChainIfAny(at);
  const shown =
    pending > 0 || (spreading !== undefined && at.document.proposals.current?.label === spreading);
  const propose = (next: ChainSettings): void => {
    setSettings(next);
    setPending((count) => count + 1);
    proposeChain(at, next, limit)
      .then(() => setSpreading(at.document.proposals.current?.label))
      .catch(at.document.notifyError)
      .finally(() => setPending((count) => count - 1));
  };
  return (
    <section className="group" aria-label="Chain">
      <h2>Spread along a chain</h2>
      <p className="card-line">
        {chain
          ? `${chain.length === 1 ? '1 joint' : `${chain.length} joints`}: ${at.document.jointName(chain[0])} to ${at.document.jointName(chain[chain.length - 1])}`
          : at.scene.joint < 0
            ? 'Choose the first joint of a chain; Ctrl+click another one to end it there.'
            : 'The chosen joints do not hang one below another.'}
      </p>
      {!shown ? (
        <ActionButton
          name="Spread the selection along the chain"
          fullWidth
          variant="default"
          disabled={!chain || at.scene.selection.count === 0}
          onClick={() => propose(settings)}
        >
          {at.scene.selection.count === 0 ? 'Select the surface to spread' : 'Spread the selection'}
        </ActionButton>
      ) : (
        <>
          {SLIDERS.map(({ field, label, most }) => (
            <div className="row" key={field} style={{ gridTemplateColumns: '76px 1fr 40px' }}>
              <span>{label}</span>
              <Slider
                size="sm"
                min={0}
                max={most}
                step={0.01}
                label={null}
                thumbLabel={label}
                value={settings[field]}
                onChange={(value) => propose({ ...settings, [field]: value })}
              />
              <span className="figures">{settings[field].toFixed(2)}</span>
            </div>
          ))}
          <Switch
            label="Evenly, wherever the joints stand"
            checked={settings.even}
            onChange={(event) => propose({ ...settings, even: event.currentTarget.checked })}
          />
        </>
      )}
    </section>
  );
}
