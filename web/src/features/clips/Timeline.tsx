import { stretchWords } from '@judoka/core/analysis';
import type { BendOrder } from '@judoka/core/analysis/bends';
import { ActionIcon, RangeSlider, Select, Switch, Tooltip } from '@mantine/core';
import {
  IconPlayerPauseFilled,
  IconPlayerPlayFilled,
  IconPlayerSkipBack,
  IconPlayerTrackNext,
  IconPlayerTrackPrev,
  IconX,
} from '@tabler/icons-react';
import { useComputedColorScheme } from '@mantine/core';
import { useEffect, useMemo, useRef } from 'react';
import { useEvent } from '../../document/useEvent.ts';
import { DAY, NIGHT } from '../../ui/theme/tokens.ts';
import { SettingSwitch } from '../../settings/SettingSwitch.tsx';
import { useUiSettings } from '../../settings/store.ts';
import type { Editing } from '../../scene/Editing.ts';
import type { ClipPlayer } from './ClipPlayer.ts';
import type { Trial } from '../../trial/Trial.ts';

type At = Editing & { readonly clips: ClipPlayer; readonly trial: Trial };

export const TIMELINE_PX = 118;
/** The curve's full height stands for at least this much. */
const MIN_SCALE: Readonly<Record<BendOrder, number>> = { stretch: 0.5, damage: 0.1 };
/** The ruler below the curve: a drag along it marks the part that is played. */
const RULER_PX = 16;
const SPEEDS = ['0.1', '0.25', '0.5', '1', '2'];

/** A clip under the stage: how bad its bends are over time as a curve, whose every place can be gone to; playing, stepping, looping. */
export function Timeline({ at, top }: { at: At; top: number }) {
  useEvent(at.clips.events, 'clip');
  useEvent(at.clips.events, 'time');
  const { bendOrder } = useUiSettings('bendOrder');
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
        <SettingSwitch setting="goesAlong" size="xs" label="Camera goes along" />
        {clips.mapping && (
          <Switch
            size="xs"
            label="In place"
            checked={clips.inPlace}
            onChange={(event) => void clips.setInPlace(event.currentTarget.checked)}
          />
        )}
        <RangeSlider
          w={96}
          title="The part that is played"
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
          w={78}
          miw={78}
          size="xs"
          aria-label="Speed"
          data={SPEEDS.map((value) => ({ value, label: `×${value}` }))}
          value={String(speed)}
          allowDeselect={false}
          onChange={(value) => clips.setSpeed(Number(value))}
        />
        <Tooltip label="Put the clip away, and take the pose from before it">
          <ActionIcon variant="subtle" aria-label="Put the clip away" onClick={() => clips.putAway()}>
            <IconX size={15} />
          </ActionIcon>
        </Tooltip>
      </div>
      <Curve at={at} order={bendOrder} />
      <span className="timeline-of">{curveWords(at, bendOrder)}</span>
    </div>
  );
}

const CURVE_OF: Readonly<Record<BendOrder, string>> = { stretch: 'stretch', damage: 'damage' };

/** What the curve tells, and of whom. */
function curveWords(at: At, order: BendOrder): string {
  const {
    trial,
    clips,
    scene: { joint },
  } = at;
  if (trial.clip?.clip !== clips.choice?.key) return 'not measured yet';
  const has = trial.clip?.trials.some((one) => one.joint === joint);
  return has
    ? `${CURVE_OF[order]} of ${at.document.jointName(joint)}`
    : `${CURVE_OF[order]}, the worst of all`;
}

/**
 * How bad bends are over the clip's time, of the chosen joint or the worst of all; a drag along it goes there, a drag along
 * its ruler marks the part that is played.
 */
function Curve({ at, order }: { at: At; order: BendOrder }) {
  const markedFrom = useRef<number>(undefined);
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
  const curve = useMemo(() => bendCurve(result, joint, frames, order), [result, joint, frames, order]);
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
        order,
      );
  });
  const frameAt = (event: React.MouseEvent<HTMLCanvasElement>): number => {
    const { left, width } = event.currentTarget.getBoundingClientRect();
    return Math.max(0, Math.min(frames - 1, Math.round(((event.clientX - left) / width) * (frames - 1))));
  };
  const isOnRuler = ({ clientY, currentTarget }: React.MouseEvent<HTMLCanvasElement>): boolean =>
    clientY > currentTarget.getBoundingClientRect().bottom - RULER_PX;
  const markTo = (to: number): void => {
    const { current: from } = markedFrom;
    if (!current || from === undefined || from === to) return;
    clips.setLoop([Math.min(from, to) / current.rate, Math.max(from, to) / current.rate]);
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
      aria-valuetext={
        result
          ? `frame ${frame}, ${CURVE_OF[order]} ${curveFigure(curve[frame] ?? 0, order)}`
          : `frame ${frame}`
      }
      title="Drag along the numbers to play only a part; a double click there plays all of it"
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        markedFrom.current = isOnRuler(event) ? frameAt(event) : undefined;
        if (markedFrom.current === undefined) clips.goTo(frameAt(event));
      }}
      onPointerMove={(event) => {
        if (event.buttons !== 1) return;
        if (markedFrom.current === undefined) clips.goTo(frameAt(event));
        else markTo(frameAt(event));
      }}
      onDoubleClick={(event) => isOnRuler(event) && clips.setLoop(undefined)}
      onKeyDown={(event) => {
        const step = { ArrowLeft: -1, ArrowRight: 1, PageUp: -10, PageDown: 10 }[event.key];
        if (step === undefined) return;
        event.preventDefault();
        clips.goTo(frame + step);
      }}
    />
  );
}

const curveFigure = (figure: number, order: BendOrder): string =>
  order === 'stretch' ? stretchWords(figure) : figure.toFixed(2);

function bendCurve(
  result: At['trial']['clip'],
  joint: number,
  frames: number,
  order: BendOrder,
): Float64Array {
  const curve = new Float64Array(frames);
  if (!result) return curve;
  const own = result.trials.filter((one) => one.joint === joint);
  for (const { poses } of own.length > 0 ? own : result.trials)
    for (const { at, figures } of poses)
      if ('frame' in at) curve[at.frame] = Math.max(curve[at.frame], figures[order]);
  return curve;
}

function drawCurve(
  canvas: HTMLCanvasElement,
  curve: Float64Array,
  frame: number,
  frames: number,
  loop: readonly number[] | undefined,
  tokens: typeof DAY,
  order: BendOrder,
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
  const scale = Math.max(most, MIN_SCALE[order]);
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
    context.fillText(curveFigure(most, order), Math.min(width - 30, x(worst) + 7), y(most) + 8);
  }
  context.strokeStyle = tokens.accent;
  context.beginPath();
  context.moveTo(x(frame), 0);
  context.lineTo(x(frame), height - 12);
  context.stroke();
}
