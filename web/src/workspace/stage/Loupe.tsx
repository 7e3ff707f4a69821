import type { Workspace } from '../Workspace.ts';
import { influencesOf } from '@judoka/core/weights';
import { receiverWords } from '../../scene/receiver.ts';
import { useEvent } from '../../document/useEvent.ts';
import type { Hover } from '../../scene/gesture.ts';
import type { Pointing } from './Pointing.ts';
import type { Tool } from '../../settings/uiSettings.ts';
import { useUiSettings } from '../../settings/store.ts';
import { TOOL_NAMES } from '../../settings/toolNames.ts';

const WIDTH_PX = 206;
const HEIGHT_PX = 128;
const AWAY_PX = 20;

interface LoupeProps {
  readonly at: Workspace;
  readonly pointing: Pointing;
  readonly width: number;
  readonly height: number;
}

/** The card at the cursor: joint, weight, the point's other influences, and what painting here could not do. */
export function Loupe({ at, pointing, width, height }: LoupeProps) {
  useEvent(pointing.events, 'changed');
  const { hover } = pointing.now;
  return hover && <Card at={at} hover={hover} width={width} height={height} />;
}

interface CardProps {
  readonly at: Workspace;
  readonly hover: Hover;
  readonly width: number;
  readonly height: number;
}

function Card({ at, hover: { x, y, hit }, width, height }: CardProps) {
  useEvent(at.document.events, 'weights');
  useEvent(at.mirroring.events, 'changed');
  const { receiver, receiverJoint, tool } = useUiSettings('receiver', 'receiverJoint', 'tool');
  const {
    scene: { joint },
  } = at;
  const { part, skin } = hit.part;
  const influences = influencesOf(skin.rows, hit.point);
  const own = influences.find((influence) => influence.joint === joint);
  const others = influences.filter((influence) => influence !== own);
  const left = x + AWAY_PX + WIDTH_PX > width ? x - AWAY_PX - WIDTH_PX : x + AWAY_PX;
  const top = Math.min(Math.max(4, y + AWAY_PX), height - HEIGHT_PX);
  const mask = at.masks.current;
  if (mask) {
    const amount = at.masks.amounts[hit.part.index]?.[hit.point] ?? 0;
    return (
      <div
        className="loupe"
        style={{ left, top }}
        data-testid="loupe"
        data-part={part.name}
        data-point={hit.point}
      >
        <div className="loupe-head">
          <span>{mask.name}</span>
          <span className="figures">{amount.toFixed(3)}</span>
        </div>
        <div className="card-line" data-mirror={at.mirroring.live}>
          {TOOL_NAMES[tool]} · {at.mirroring.live ? 'mirror on' : 'mirror off'}
        </div>
      </div>
    );
  }
  const colour = (j: number): string => (j === joint ? 'var(--ink)' : at.scene.palette.css(j));
  return (
    <div
      className="loupe"
      style={{ left, top }}
      data-testid="loupe"
      data-part={part.name}
      data-point={hit.point}
    >
      <div className="loupe-head">
        <span>{joint >= 0 ? at.document.jointName(joint) : at.document.partName(hit.part.index)}</span>
        {joint >= 0 && <span className="figures">{(own?.weight ?? 0).toFixed(3)}</span>}
      </div>
      <div className="stack">
        {influences.map((influence) => (
          <div
            key={influence.joint}
            style={{ width: `${influence.weight * 100}%`, background: colour(influence.joint) }}
          />
        ))}
      </div>
      {others.slice(0, 4).map((influence) => (
        <div key={influence.joint} style={{ display: 'flex', justifyContent: 'space-between' }}>
          <span>
            <span style={{ color: colour(influence.joint) }}>■</span> {at.document.jointName(influence.joint)}
          </span>
          <span className="figures">{influence.weight.toFixed(3)}</span>
        </div>
      ))}
      {others.length > 4 && <div className="card-line">and {others.length - 4} more</div>}
      {part.role === 'fixed' ? (
        <div className="card-line">No weights of its own</div>
      ) : influences.length === 0 ? (
        <div className="loupe-warn">No weight: this point stays behind</div>
      ) : (
        own &&
        others.length === 0 &&
        receiver === 'others' &&
        frees(tool) && <div className="loupe-warn">No other influence: it keeps its weight</div>
      )}
      {frees(tool) && <div className="card-line">Freed: to {receiverWords(at, receiver, receiverJoint)}</div>}
      <div className="card-line" data-mirror={at.mirroring.live}>
        {TOOL_NAMES[tool]} · {mirrorWords(at)}
      </div>
    </div>
  );
}

/** Tools that take weight away, which something has to receive. Smoothing finds receivers among the neighbours. */
const frees = (tool: Tool): boolean => tool === 'take' || tool === 'set' || tool === 'scale';

function mirrorWords({ mirroring, document: { pairs, skeleton }, scene: { joint } }: Workspace): string {
  if (!mirroring.live) return 'mirror off';
  if (!mirroring.pairs) return 'mirror on, looking for counterparts';
  const partner = joint >= 0 ? pairs.partner[joint] : -1;
  if (partner < 0) return 'mirror on, but this joint has no partner';
  return partner === joint ? 'mirror on' : `mirror on: ${skeleton.joints[partner].name}`;
}
