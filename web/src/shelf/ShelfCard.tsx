import { ActionIcon, Button, Checkbox, Menu, Text, TextInput } from '@mantine/core';
import { notifications } from '@mantine/notifications';
import type { CharacterCard, Shelf } from '@judoka/contract';
import { IconDots } from '@tabler/icons-react';
import { useEffect, useRef, useState } from 'react';
import { Link } from 'react-router';
import { useChangeCharacterMutation } from '../api/api.ts';
import { troublesOf } from './sortCards.ts';

const SHOWN_TROUBLES = 3;

const counted = (count: number, what: string): string =>
  `${count.toLocaleString('en')} ${what}${count === 1 ? '' : 's'}`;

/** When, in words: short ago by how long, long ago by the date. */
function since(iso: string): string {
  const minutes = Math.round((Date.now() - Date.parse(iso)) / 60000);
  if (minutes < 1) return 'just now';
  if (minutes < 60) return `${minutes} min ago`;
  if (minutes < 24 * 60) return `${Math.round(minutes / 60)} h ago`;
  return new Date(iso).toLocaleDateString(undefined, { day: 'numeric', month: 'short', year: 'numeric' });
}

interface Props {
  readonly card: CharacterCard;
  readonly shelves: readonly Shelf[];
  /** Undefined while nothing is being chosen. */
  readonly isChosen: boolean | undefined;
  readonly choose: () => void;
  readonly report: () => void;
  readonly bind: () => void;
}

/** A character on the shelf, and what can be done with it without opening it. */
export function ShelfCard({ card, shelves, isChosen, choose, report, bind }: Props) {
  const [renaming, setRenaming] = useState(false);
  const [change] = useChangeCharacterMutation();
  const remove = (removed: boolean): void => {
    void change({ id: card.id, change: { removed } });
    if (!removed) return;
    const id = `removed-${card.id}`;
    notifications.show({
      id,
      autoClose: 12000,
      color: 'indigo',
      message: (
        <>
          {card.name} was taken off the shelf.{' '}
          <Button
            variant="subtle"
            onClick={() => {
              remove(false);
              notifications.hide(id);
            }}
          >
            Put it back
          </Button>
        </>
      ),
    });
  };
  const targets =
    card.role === 'owner' ? shelves.filter(({ id, role }) => id !== card.shelf && role !== 'guest') : [];
  const troubles = troublesOf(card);
  const rest = troubles.length - SHOWN_TROUBLES;
  return (
    <article className="card" aria-label={card.name} data-chosen={isChosen}>
      {isChosen !== undefined && (
        <Checkbox
          className="card-choice"
          checked={isChosen}
          onChange={choose}
          aria-label={`Choose ${card.name}`}
        />
      )}
      <Link to={`/characters/${card.id}/paint`} tabIndex={-1} aria-hidden="true">
        <img src={`/api/characters/${card.id}/picture.png`} alt="" />
      </Link>
      <div className="card-text">
        <div style={{ display: 'flex', alignItems: 'start', gap: 8 }}>
          {renaming ? (
            <NameField
              name={card.name}
              done={(name) => {
                setRenaming(false);
                if (name && name !== card.name) void change({ id: card.id, change: { name } });
              }}
            />
          ) : (
            <Link to={`/characters/${card.id}/paint`} className="card-name">
              {card.name}
            </Link>
          )}
          <span className="spread" />
          <Menu position="bottom-end">
            <Menu.Target>
              <ActionIcon variant="subtle" size="sm" aria-label={`More for ${card.name}`}>
                <IconDots size={16} />
              </ActionIcon>
            </Menu.Target>
            <Menu.Dropdown>
              {card.role !== 'guest' && <Menu.Item onClick={() => setRenaming(true)}>Rename</Menu.Item>}
              <Menu.Item onClick={report}>Make a report</Menu.Item>
              {card.role !== 'guest' && <Menu.Item onClick={bind}>Bind…</Menu.Item>}
              <Menu.Item component="a" href={`/api/characters/${card.id}/history.judoka`} download>
                Save with its history
              </Menu.Item>
              {targets.map((shelf) => (
                <Menu.Item
                  key={shelf.id}
                  onClick={() => void change({ id: card.id, change: { shelf: shelf.id } })}
                >
                  {`Move to ${shelf.isOwn ? 'my shelf' : shelf.name}`}
                </Menu.Item>
              ))}
              {card.role !== 'guest' && (
                <Menu.Item onClick={() => remove(true)}>Take off the shelf</Menu.Item>
              )}
            </Menu.Dropdown>
          </Menu>
        </div>
        <div className="card-line">
          {counted(card.parts, 'part')} · {counted(card.points, 'point')} · {counted(card.joints, 'joint')}
        </div>
        <div className="card-line">Touched {since(card.touchedAt)}</div>
        <Text component="div" mt={8}>
          {troubles.length === 0 && (
            <div className={card.isChecked ? 'trouble fine' : 'card-line'}>
              {card.isChecked ? 'Nothing found wrong' : 'Being looked over'}
            </div>
          )}
          {troubles.slice(0, SHOWN_TROUBLES).map((trouble) => (
            <div className="trouble" key={trouble}>
              {trouble}
            </div>
          ))}
          {rest > 0 && <div className="card-line">and {rest} more</div>}
        </Text>
      </div>
    </article>
  );
}

function NameField({ name, done }: { name: string; done: (name: string | undefined) => void }) {
  const [value, setValue] = useState(name);
  const field = useRef<HTMLInputElement>(null);
  useEffect(() => field.current?.select(), []);
  return (
    <TextInput
      value={value}
      maxLength={120}
      ref={field}
      aria-label="Name"
      onChange={(event) => setValue(event.currentTarget.value)}
      onBlur={() => done(value.trim())}
      onKeyDown={(event) => {
        if (event.key === 'Enter') done(value.trim());
        if (event.key === 'Escape') done(undefined);
      }}
    />
  );
}
