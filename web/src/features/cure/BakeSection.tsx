import { MAX_CLIP_FRAMES } from '@judoka/core/analysis/costs';
import { MAX_FILE_BYTES } from '@judoka/core/formats';
import { Button, FileButton, MultiSelect, Switch } from '@mantine/core';
import { type CharacterLook, DEFAULT_RELAXING, MAX_RELAX_PASSES } from '@judoka/core/deform';
import { counted, RELAXING_PATH } from '@judoka/core/document';
import { useState } from 'react';
import { lookOf } from '../../document/look.ts';
import { useEvent } from '../../document/useEvent.ts';
import { RunButton } from '../../trial/RunButton.tsx';
import { NumberField } from '../../ui/NumberField.tsx';
import { Segments } from '../../ui/Segments.tsx';
import type { CureAt } from './CureSection.tsx';

type BakedLooks = 'relaxed' | 'dual' | 'shapes';
const LOOKS: Readonly<Record<BakedLooks, string>> = {
  relaxed: 'Relaxed',
  dual: 'Dual quaternions',
  shapes: 'Shapes',
};

/** Gives plain weights a look that engines do not compute. */
export function BakeSection({ at }: { at: CureAt }) {
  useEvent(at.curing.events, 'changed');
  const [look, setLook] = useState<BakedLooks>('relaxed');
  const [passes, setPasses] = useState(DEFAULT_RELAXING.passes);
  const [keepsVolume, setKeepsVolume] = useState(false);
  const names = [...new Set(at.document.character.clips.map(({ name }) => name))];
  const [leftOut, setLeftOut] = useState<readonly string[]>([]);
  // Those that come later count too.
  const clips = names.filter((name) => !leftOut.includes(name));
  useEvent(at.document.events, 'values');
  const { curing, document } = at;
  if (!document.mayChange || document.character.drawing) return null;
  const { relaxing: shown } = document.settings;
  const lookToBake = (): CharacterLook => {
    if (look === 'dual') return { skinning: 'dual' };
    return shown
      ? lookOf(document)
      : { skinning: 'linear', relaxing: { ...DEFAULT_RELAXING, passes, keepsVolume } };
  };
  const bake = (): void => {
    const wanted = lookToBake();
    // Old and new are looked at as engines show them.
    if (shown) document.changeSettings({ [RELAXING_PATH]: null });
    curing
      .bake(wanted, `the ${look === 'dual' ? 'dual-quaternion' : 'relaxed'} look`, clips)
      .catch(document.notifyError);
  };
  return (
    <section className="group" aria-label="Bake a look">
      <h2>Bake a look</h2>
      <p className="card-line">
        Gives plain weights the look of another surface as nearly as they can, so that any engine shows it.
      </p>
      <Segments name="Look to bake" choices={LOOKS} value={look} set={setLook} mb={8} />
      {look === 'relaxed' && shown && (
        <p className="card-line">
          Relaxed as it is shown. It is switched off then: what you see are the weights.
        </p>
      )}
      {look === 'relaxed' && !shown && (
        <>
          <NumberField
            label="Passes"
            min={1}
            max={MAX_RELAX_PASSES}
            value={passes}
            onChange={setPasses}
            steppers
          />
          <Switch
            my={8}
            label="Keep the volume"
            checked={keepsVolume}
            onChange={(event) => setKeepsVolume(event.currentTarget.checked)}
          />
        </>
      )}
      {look !== 'shapes' && names.length > 0 && (
        <MultiSelect
          mb={8}
          label="Clips that count"
          description={`Beside the range of motion; ${clips.length === 0 ? 'none now.' : `of ${counted(clips.length, 'clip')} up to ${MAX_CLIP_FRAMES} frames each, evenly over it.`}`}
          data={names}
          value={clips}
          onChange={(kept) => setLeftOut(names.filter((name) => !kept.includes(name)))}
          placeholder={clips.length === 0 ? 'None' : undefined}
        />
      )}
      {look === 'shapes' ? (
        <ShapesOfFile at={at} />
      ) : (
        <RunButton
          running={curing.working?.isBake ? curing.working : undefined}
          disabled={curing.working !== undefined}
          stop={() => curing.stop()}
          run={bake}
          label={`Bake the ${look === 'dual' ? 'dual-quaternion' : 'relaxed'} look`}
        />
      )}
    </section>
  );
}

/** Shapes that some other program has made of the same points, frame by frame. */
function ShapesOfFile({ at }: { at: CureAt }) {
  const { curing, document } = at;
  const take = async (file: File): Promise<void> => {
    if (file.size > MAX_FILE_BYTES) {
      document.notify(`“${file.name}” is larger than 256 MB.`);
      return;
    }
    await curing.bakeShapes(new Uint8Array(await file.arrayBuffer()), file.name);
  };
  return (
    <>
      <p className="card-line">
        A .glb of the same points and joints, whose clips move the joints and morph the points: weights are
        found that come nearest to its frames.
      </p>
      {curing.working?.isBake ? (
        <RunButton running={curing.working} stop={() => curing.stop()} run={() => undefined} label="" />
      ) : (
        <FileButton
          accept=".glb,.gltf,.zip"
          onChange={(file) => {
            if (file) take(file).catch(document.notifyError);
          }}
        >
          {(props) => (
            <Button {...props} fullWidth disabled={curing.working !== undefined}>
              Bake shapes of a file …
            </Button>
          )}
        </FileButton>
      )}
    </>
  );
}
