import { Button } from '@mantine/core';
import type { Drawing } from '@judoka/core/drawing';
import { writeSvg } from '@judoka/core/formats';
import type { Editing } from '../../scene/Editing.ts';
import { saveFile } from '../../ui/saveFile.ts';

/** A flat character leaves as the drawing that it is, too. */
export function DrawingExport({ at, drawing }: { at: Editing; drawing: Drawing }) {
  return (
    <section className="group" aria-label="Drawing">
      <h2>Drawing</h2>
      <p className="card-line">
        Its layers, outlines and colours in the pose on the stage, as curves that drawing programs go on with.
        Parts that are hidden stay out.
      </p>
      <Button variant="default" fullWidth onClick={() => savePose(at, drawing)}>
        Save the pose as .svg
      </Button>
    </section>
  );
}

function savePose({ document, scene }: Editing, drawing: Drawing): void {
  const layers = scene.parts.map(({ part, skin, visible }) =>
    visible ? { vertexPoint: part.vertexPoint, rest: part.positions, posed: skin.positions } : undefined,
  );
  const text = writeSvg(drawing, layers);
  saveFile(`${document.name}.svg`, new TextEncoder().encode(text), 'image/svg+xml');
}
