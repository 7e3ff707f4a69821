import { InfluenceLimit } from '../../settings/InfluenceLimit.tsx';
import { FalloffChooser } from '../../settings/FalloffChooser.tsx';
import { StrengthRow } from '../../settings/StrengthRow.tsx';
import { useAppDispatch, useUiSettings } from '../../settings/store.ts';
import { settingsChanged, type ShapeMode } from '../../settings/uiSettings.ts';
import type { Editing } from '../../scene/Editing.ts';
import { RadiusRow } from '../../scene/RadiusRow.tsx';
import { Segments } from '../../ui/Segments.tsx';
import { SliderRow } from '../../ui/SliderRow.tsx';
import { SHAPE_MODES } from './shapeGesture.ts';

const WORDS: Readonly<Record<ShapeMode, string>> = {
  drag: 'Take the surface, or the selection, and put it where it should be.',
  out: 'Pushes the surface out, along its normals.',
  in: 'Pulls the surface in, along its normals.',
  even: 'Evens the surface out: each point toward the middle of its neighbours.',
  pinch: 'Draws the surface together under the brush.',
};

/** The brush for the bent surface: what it does, and how much the strip's other bends hold it back. */
export function ShapePanel({ at }: { at: Editing }) {
  const dispatch = useAppDispatch();
  const { tool, shapeMode, shapeOthers } = useUiSettings('tool', 'shapeMode', 'shapeOthers');
  if (tool !== 'shape') return null;
  return (
    <section className="group" aria-label="Shape">
      <h2>Shape the bend</h2>
      <p className="card-line">
        Works on the surface as it is bent; the weights that bring it there are found.
      </p>
      <Segments
        name="What the brush does to the surface"
        choices={SHAPE_MODES}
        value={shapeMode}
        set={(mode) => dispatch(settingsChanged({ shapeMode: mode }))}
      />
      <div className="card-line">{WORDS[shapeMode]}</div>
      <RadiusRow at={at} />
      {shapeMode !== 'drag' && <StrengthRow />}
      <SliderRow
        name="Others"
        value={shapeOthers}
        least={0}
        most={1}
        digits={2}
        set={(to) => dispatch(settingsChanged({ shapeOthers: to }))}
      />
      <div className="card-line">
        How much the strip’s other bends count against it: they stay nearer to what they are.
      </div>
      <FalloffChooser />
      <InfluenceLimit />
    </section>
  );
}
