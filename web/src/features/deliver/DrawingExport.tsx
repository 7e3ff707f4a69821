import { Button, Progress } from '@mantine/core';
import { frameCount, type Clip } from '@judoka/core/animation';
import { counted } from '@judoka/core/document';
import type { Drawing } from '@judoka/core/drawing';
import { isAbort } from '@judoka/core/errors';
import { writeSvg } from '@judoka/core/formats';
import { useEffect, useRef, useState } from 'react';
import type { EventSource } from '../../document/events.ts';
import { useEvent } from '../../document/useEvent.ts';
import type { Editing } from '../../scene/Editing.ts';
import { saveFile } from '../../ui/saveFile.ts';
import { drawFrames, MAX_FRAMES } from './drawingFrames.ts';

export type ClipSource = {
  readonly clips: { readonly events: EventSource<'clip'>; readonly current: Clip | undefined };
};

/** A flat character leaves as the drawing that it is, too: in the pose on the stage, or frame by frame. */
export function DrawingExport({ at, drawing }: { at: Editing & ClipSource; drawing: Drawing }) {
  useEvent(at.clips.events, 'clip');
  const [share, setShare] = useState<number>();
  const stopper = useRef<AbortController>(undefined);
  useEffect(() => () => stopper.current?.abort(), []);
  const clip = at.clips.current;
  const saveFrames = (of: Clip): void => {
    stopper.current = new AbortController();
    setShare(0);
    drawFrames(at, drawing, of, setShare, stopper.current.signal)
      .then((zip) => saveFile(`${at.document.name}, ${of.name}.zip`, zip, 'application/zip'))
      .catch((error: unknown) => {
        if (!isAbort(error)) at.document.notifyError(error);
      })
      .finally(() => setShare(undefined));
  };
  return (
    <section className="group" aria-label="Drawing">
      <h2>Drawing</h2>
      <p className="card-line">
        Its layers, outlines and colours as curves that drawing programs go on with. Parts that are hidden
        stay out.
      </p>
      <Button variant="default" fullWidth mb={8} onClick={() => savePose(at, drawing)}>
        Save the pose as .svg
      </Button>
      {share !== undefined ? (
        <>
          <Progress value={share * 100} aria-label="Drawing the frames" mb={8} />
          <Button variant="default" fullWidth onClick={() => stopper.current?.abort()}>
            Stop
          </Button>
        </>
      ) : clip ? (
        <>
          <Button variant="default" fullWidth onClick={() => saveFrames(clip)}>
            Save the clip as numbered .svg
          </Button>
          <div className="card-line">
            {frameCount(clip) > MAX_FRAMES
              ? `The first ${MAX_FRAMES} of ${counted(frameCount(clip), 'frame')}, in a zip file.`
              : `${counted(frameCount(clip), 'frame')} of “${clip.name}”, in a zip file.`}
          </div>
        </>
      ) : (
        <div className="card-line">Choose a clip under Trial, Clips, to save it frame by frame.</div>
      )}
    </section>
  );
}

function savePose({ document, scene }: Editing, drawing: Drawing): void {
  const layers = scene.parts.map(({ index, part, skin, visible }) =>
    visible
      ? {
          ...{ vertexPoint: part.vertexPoint, rest: part.positions },
          posed: skin.positions.map((value, k) => (k % 3 === 0 ? value - scene.asideOf(index) : value)),
        }
      : undefined,
  );
  const text = writeSvg(drawing, layers, scene.layerOrder);
  saveFile(`${document.name}.svg`, new TextEncoder().encode(text), 'image/svg+xml');
}
