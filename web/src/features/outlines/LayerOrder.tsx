import {
  itemPath,
  layersInOrder,
  movedLayer,
  ORDER_PATH,
  pageTurn,
  type Json,
  type OrderRule,
} from '@judoka/core/document';
import { REST_POSE } from '@judoka/core/skeleton';
import { ActionIcon, Button, Group, Switch, Tooltip } from '@mantine/core';
import { IconChevronDown, IconChevronUp, IconX } from '@tabler/icons-react';
import { useState } from 'react';
import { useEvent } from '../../document/useEvent.ts';
import type { Editing } from '../../scene/Editing.ts';
import './layerOrder.css';

/** Less than this is no turn that an order could hang on, in degrees. */
const MIN_TURN = 2;

/** Which layer lies over which: at rest, or only while a joint is turned. */
export function LayerOrder({ at }: { at: Editing }) {
  useEvent(at.scene.events, 'pose');
  useEvent(at.scene.events, 'joint');
  useEvent(at.document.events, 'values');
  const [isForPose, setForPose] = useState(false);
  const [chosen, setChosen] = useState<number>();
  const { scene, document } = at;
  const turn = scene.joint < 0 ? 0 : pageTurn(scene.pose, scene.joint);
  const isTurned = Math.abs(turn) >= MIN_TURN;
  const frontFirst = [...scene.orderIn(isForPose ? scene.pose : REST_POSE)].reverse();
  const move = (layer: number, toFront: boolean): void => {
    if (isForPose) moveWhileTurned(at, layer, toFront, turn);
    else moveAtRest(at, layer, toFront);
  };
  const isShut = isForPose && !isTurned;
  return (
    <section className="group" aria-label="Order of the layers">
      <h2>Order of the layers</h2>
      <Switch
        checked={isForPose}
        onChange={(event) => setForPose(event.currentTarget.checked)}
        label={
          scene.joint < 0
            ? 'Only while a joint is turned'
            : `Only while ${document.jointName(scene.joint)} is turned`
        }
      />
      {isShut && <p className="card-line">Choose a joint and turn it to where the order is another one.</p>}
      <Group gap={6} grow mt={8}>
        <Button
          variant="default"
          leftSection={<IconChevronUp size={16} />}
          disabled={isShut || chosen === undefined || chosen === frontFirst[0]}
          onClick={() => chosen !== undefined && move(chosen, true)}
        >
          Nearer
        </Button>
        <Button
          variant="default"
          leftSection={<IconChevronDown size={16} />}
          disabled={isShut || chosen === undefined || chosen === frontFirst.at(-1)}
          onClick={() => chosen !== undefined && move(chosen, false)}
        >
          Farther
        </Button>
      </Group>
      <ol className="layer-order" aria-label="Layers, the nearest first">
        {frontFirst.map((layer) => (
          <li key={layer}>
            <button type="button" aria-pressed={layer === chosen} onClick={() => setChosen(layer)}>
              {document.partName(layer)}
            </button>
          </li>
        ))}
      </ol>
      {document.settings.order.length > 0 && (
        <Button
          size="compact-sm"
          variant="default"
          onClick={() => document.setValues('Layers as in the file', { [ORDER_PATH]: null })}
        >
          As in the file
        </Button>
      )}
      <Rules at={at} />
    </section>
  );
}

function moveAtRest({ scene, document }: Editing, layer: number, toFront: boolean): void {
  const { order } = document.settings;
  const next = movedLayer(
    layersInOrder(scene.parts.length, { order, orderRules: [] }, REST_POSE),
    layer,
    toFront,
  );
  const isAsInFile = next.every((each, i) => each === i);
  const name = document.partName(layer);
  document.setValues(
    `${name} nearer to the ${toFront ? 'front' : 'back'}`,
    { [ORDER_PATH]: isAsInFile ? null : next },
    { growsAs: `order ${layer}` },
  );
}

/** The layer goes over the one before it, or under the one behind it, from half of the joint's turn on. */
function moveWhileTurned({ scene, document }: Editing, layer: number, toFront: boolean, turn: number): void {
  // Not the order on the stage: a tool may show the rest pose there.
  const order = scene.orderIn(scene.pose);
  const other = order.at(order.indexOf(layer) + (toFront ? 1 : -1));
  if (other === undefined) return;
  const rule: OrderRule = {
    ...{ layer, isOver: toFront, other, joint: scene.joint },
    angle: Math.round(turn * 5) / 10,
    savedAt: Date.now(),
  };
  // Where a layer lies while a joint is turned one way is said once.
  const over = document.settings.orderRules.filter(
    (held) =>
      held.layer === layer && held.joint === rule.joint && Math.sign(held.angle) === Math.sign(rule.angle),
  );
  document.setValues(
    `${document.partName(layer)} ${toFront ? 'over' : 'under'} ${document.partName(other)}`,
    {
      ...Object.fromEntries(over.map(({ id }) => [itemPath('orderRules', id), null])),
      [itemPath('orderRules', crypto.randomUUID())]: rule as unknown as Json,
    },
  );
}

function Rules({ at: { document } }: { at: Editing }) {
  const { orderRules } = document.settings;
  if (orderRules.length === 0) return null;
  return (
    <ul className="layer-order" aria-label="Orders while joints are turned">
      {orderRules.map((rule) => {
        const [layer, other] = [document.partName(rule.layer), document.partName(rule.other)];
        const words = `${layer} ${rule.isOver ? 'over' : 'under'} ${other}`;
        return (
          <li key={rule.id}>
            <span>
              {words}
              <small>
                {document.jointName(rule.joint)} beyond {rule.angle}°
              </small>
            </span>
            <Tooltip label="Forget this order">
              <ActionIcon
                variant="subtle"
                size={24}
                aria-label={`Forget: ${words}`}
                onClick={() =>
                  document.setValues(`No longer ${words}`, { [itemPath('orderRules', rule.id)]: null })
                }
              >
                <IconX size={14} />
              </ActionIcon>
            </Tooltip>
          </li>
        );
      })}
    </ul>
  );
}
