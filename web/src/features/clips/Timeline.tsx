import { ActionIcon, RangeSlider, Select } from '@mantine/core';
import {
  IconPlayerPauseFilled,
  IconPlayerPlayFilled,
  IconPlayerSkipBack,
  IconPlayerTrackNext,
  IconPlayerTrackPrev,
} from '@tabler/icons-react';
import { useComputedColorScheme } from '@mantine/core';
import { useEffect, useMemo, useRef } from 'react';
import { useEvent } from '../../document/useEvent.ts';
import { DAY, NIGHT } from '../../ui/theme/tokens.ts';
import type { Editing } from '../../scene/Editing.ts';
import type { ClipPlayer } from './ClipPlayer.ts';
import type { Trial } from '../../trial/Trial.ts';

type At = Editing & { readonly clips: ClipPlayer; readonly trial: Trial };

export const TIMELINE_PX = 118;
/** The curve's full height stands for at least this much damage. */
const MIN_SCALE = 0.1;
const SPEEDS = ['0.1', '0.25', '0.5', '1', '2'];

/** A clip under the stage: damage over time as a curve, whose every place can be gone to; playing, stepping, looping. */
export function Timeline({ at, top }: { at: At; top: number }) {
  useEvent(at.clips.events, 'clip');
  useEvent(at.clips.events, 'time');
  const { clips } = at;
  const { current, frame, frames, seconds, playing, speed, loop } = clips;
  if (!current) return null;
  const [from, to] = loop ?? [0, current.seconds];
  return (
    <div className="timeline" role="group" aria-label="Timeline" style={{ top, height: TIMELINE_PX }}>
      <div className="timeline-bar">
        <strong>{current.name}</strong>
        <ActionIcon variant="subtle" aria-label="To the beginning" onClick={() => clips.goTo(0)}>
          <IconPlayerSkipBack size={16} />
        </ActionIcon>
        <ActionIcon variant="subtle" aria-label="A frame back" onClick={() => clips.goTo(frame - 1)}>
          <IconPlayerTrackPrev size={16} />
        </ActionIcon>
        <ActionIcon
          variant="filled"
          aria-label={playing ? 'Pause' : 'Play'}
          onClick={() => (playing ? clips.pause() : clips.play())}
        >
          {playing ? <IconPlayerPauseFilled size={15} /> : <IconPlayerPlayFilled size={15} />}
        </ActionIcon>
        <ActionIcon variant="subtle" aria-label="A frame on" onClick={() => clips.goTo(frame + 1)}>
          <IconPlayerTrackNext size={16} />
        </ActionIcon>
        <span className="figures" data-frame={frame}>
          {seconds.toFixed(2)} s, frame {frame} of {frames - 1}
        </span>
        <span className="spread" />
        <span className="timeline-of">{curveWords(at)}</span>
        <span>part</span>
        <RangeSlider
          w={150}
          size="xs"
          thumbFromLabel="Begin of the part that is played"
          thumbToLabel="End of the part that is played"
          min={0}
          max={current.seconds}
          step={1 / current.rate}
          minRange={1 / current.rate}
          label={(value) => `${value.toFixed(2)} s`}
          value={[from, to]}
          onChange={([a, b]) => clips.setLoop(a <= 0 && b >= current.seconds ? undefined : [a, b])}
        />
        <Select
          w={74}
          size="xs"
          aria-label="Speed"
          data={SPEEDS.map((value) => ({ value, label: `×${value}` }))}
          value={String(speed)}
          allowDeselect={false}
          onChange={(value) => clips.setSpeed(Number(value))}
        />
      </div>
      <Curve at={at} />
    </div>
  );
}

/** Whose damage the curve tells. */
function curveWords(at: At): string {
  const {
    trial,
    clips,
    scene: { joint },
  } = at;
  if (trial.clip?.clip !== clips.choice?.key) return 'not measured yet';
  const has = trial.clip?.trials.some((one) => one.joint === joint);
  return has ? `damage of ${at.document.jointName(joint)}` : 'damage, the worst of all';
}

/** Damage over the clip's time, of the chosen joint or the worst of all; a drag along it goes there. */
function Curve({ at }: { at: At }) {
  useEvent(at.trial.events, 'changed');
  useEvent(at.scene.events, 'joint');
  const canvas = useRef<HTMLCanvasElement>(null);
  const scheme = useComputedColorScheme('light');
  const {
    clips,
    trial,
    scene: { joint },
  } = at;
  const { current, frames, frame, loop } = clips;
  const result = trial.clip?.clip === clips.choice?.key ? trial.clip : undefined;
  const curve = useMemo(() => damageCurve(result, joint, frames), [result, joint, frames]);
  useEffect(() => {
    const at = canvas.current;
    if (at && current)
      drawCurve(
        at,
        curve,
        frame,
        frames,
        loop?.map((s) => s * current.rate),
        scheme === 'dark' ? NIGHT : DAY,
      );
  });
  const goTo = (event: React.PointerEvent<HTMLCanvasElement>): void => {
    const { left, width } = event.currentTarget.getBoundingClientRect();
    clips.goTo(Math.round(((event.clientX - left) / width) * (frames - 1)));
  };
  return (
    <canvas
      ref={canvas}
      className="timeline-curve"
      tabIndex={0}
      role="slider"
      aria-label="Frame of the clip"
      aria-valuemin={0}
      aria-valuemax={frames - 1}
      aria-valuenow={frame}
      aria-valuetext={result ? `frame ${frame}, damage ${(curve[frame] ?? 0).toFixed(2)}` : `frame ${frame}`}
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        goTo(event);
      }}
      onPointerMove={(event) => event.buttons === 1 && goTo(event)}
      onKeyDown={(event) => {
        const step = { ArrowLeft: -1, ArrowRight: 1, PageUp: -10, PageDown: 10 }[event.key];
        if (step === undefined) return;
        event.preventDefault();
        clips.goTo(frame + step);
      }}
    />
  );
}

function damageCurve(result: At['trial']['clip'], joint: number, frames: number): Float64Array {
  const curve = new Float64Array(frames);
  if (!result) return curve;
  const own = result.trials.filter((one) => one.joint === joint);
  for (const { poses } of own.length > 0 ? own : result.trials)
    for (const { at, figures } of poses)
      if ('frame' in at) curve[at.frame] = Math.max(curve[at.frame], figures.damage);
  return curve;
}

function drawCurve(
  canvas: HTMLCanvasElement,
  curve: Float64Array,
  frame: number,
  frames: number,
  loop: readonly number[] | undefined,
  tokens: typeof DAY,
): void {
  const ratio = Math.min(2, devicePixelRatio);
  const [width, height] = [canvas.clientWidth, canvas.clientHeight];
  canvas.width = width * ratio;
  canvas.height = height * ratio;
  const context = canvas.getContext('2d');
  if (!context || frames < 2) return;
  context.scale(ratio, ratio);
  const x = (at: number): number => (at / (frames - 1)) * (width - 2) + 1;
  const most = curve.reduce((a, b) => Math.max(a, b), 0);
  // Next to nothing is drawn as next to nothing.
  const scale = Math.max(most, MIN_SCALE);
  const y = (damage: number): number => height - 14 - (damage / scale) * (height - 22);
  if (loop) {
    context.fillStyle = tokens.hairline;
    context.fillRect(x(loop[0]), 0, x(loop[1]) - x(loop[0]), height);
  }
  context.strokeStyle = tokens.hairline;
  context.fillStyle = tokens.faint;
  context.font = '10px sans-serif';
  const step = Math.max(1, Math.ceil(frames / 12 / 5) * 5);
  for (let at = 0; at < frames; at += step) {
    context.beginPath();
    context.moveTo(x(at), height - 12);
    context.lineTo(x(at), height - 8);
    context.stroke();
    context.fillText(String(at), Math.min(width - 18, x(at) + 2), height - 1);
  }
  context.strokeStyle = tokens.ink;
  context.lineWidth = 1.5;
  context.beginPath();
  curve.forEach((damage, at) =>
    at === 0 ? context.moveTo(x(at), y(damage)) : context.lineTo(x(at), y(damage)),
  );
  if (most > 0) context.stroke();
  const worst = curve.indexOf(most);
  if (worst >= 0 && most > 0) {
    context.fillStyle = tokens.accent;
    context.beginPath();
    context.arc(x(worst), y(most), 4, 0, 2 * Math.PI);
    context.fill();
    context.fillText(most.toFixed(2), Math.min(width - 30, x(worst) + 7), y(most) + 8);
  }
  context.strokeStyle = tokens.accent;
  context.beginPath();
  context.moveTo(x(frame), 0);
  context.lineTo(x(frame), height - 12);
  context.stroke();
}
