import { Button, Select, TextInput } from '@mantine/core';
import type { AskedWork, CharacterCard, Shelf } from '@judoka/contract';
import { IconSearch } from '@tabler/icons-react';
import { lazy, Suspense, useState } from 'react';
import { useAskForWorkMutation, type ApiFailure } from '../api/api.ts';
import { Jobs } from './Jobs.tsx';
import { ShelfCard } from './ShelfCard.tsx';
import { FEW, ORDERS, sortCards, type Order } from './sortCards.ts';
import { WorkList } from './WorkList.tsx';

/** Comes a moment later: what tells files apart is as large as the shelf itself. */
const TakeIn = lazy(async () => ({ default: (await import('./TakeIn.tsx')).TakeIn }));
const BindDialog = lazy(async () => ({ default: (await import('./BindDialog.tsx')).BindDialog }));

interface CardsProps {
  readonly cards: readonly CharacterCard[];
  readonly shelf: Shelf;
  readonly shelves: readonly Shelf[];
}

/** What stands on a shelf, what is being done to it, and the place where more comes in. */
export function Cards({ cards, shelf, shelves }: CardsProps) {
  const [wanted, setWanted] = useState('');
  const [order, setOrder] = useState<Order>('touched');
  const [chosen, setChosen] = useState<ReadonlySet<string>>();
  const [binding, setBinding] = useState<readonly CharacterCard[]>();
  const [askForWork] = useAskForWorkMutation();
  const [refusal, setRefusal] = useState<string>();

  const own = cards.filter((card) => card.shelf === shelf.id);
  const shown = sortCards(own, own.length > FEW ? wanted : '', order);
  const ask = (which: readonly CharacterCard[], work: AskedWork): void => {
    setRefusal(undefined);
    setBinding(undefined);
    askForWork({ id: crypto.randomUUID(), characters: which.map(({ id }) => id), work })
      .unwrap()
      .then(
        () => setChosen(undefined),
        (error: unknown) => setRefusal((error as ApiFailure).message),
      );
  };
  const toggle = (id: string): void => {
    const next = new Set(chosen);
    if (!next.delete(id)) next.add(id);
    setChosen(next);
  };
  return (
    <>
      {own.length > 1 && (
        <div className="shelf-tools">
          {own.length > FEW && (
            <>
              <TextInput
                aria-label="Search this shelf"
                placeholder="Search"
                leftSection={<IconSearch size={15} />}
                value={wanted}
                onChange={(event) => setWanted(event.currentTarget.value)}
                onKeyDown={(event) => event.key === 'Escape' && setWanted('')}
              />
              <Select
                aria-label="Order"
                data={ORDERS}
                value={order}
                allowDeselect={false}
                onChange={(value) => setOrder(value as Order)}
              />
              <span className="card-line" role="status">
                {shown.length < own.length ? `${shown.length} of ${own.length}` : `${own.length} characters`}
              </span>
            </>
          )}
          <span className="spread" />
          {chosen ? (
            <ChosenTools
              chosen={shown.filter(({ id }) => chosen.has(id))}
              mayBind={shelf.role !== 'guest'}
              all={() => setChosen(new Set(shown.map(({ id }) => id)))}
              report={(which) => ask(which, { kind: 'report' })}
              bind={setBinding}
              done={() => setChosen(undefined)}
            />
          ) : (
            <Button variant="default" onClick={() => setChosen(new Set())}>
              Choose several
            </Button>
          )}
        </div>
      )}
      {refusal !== undefined && (
        <div className="trouble" role="alert">
          {refusal}
        </div>
      )}
      <WorkList shelf={shelf.id} />
      {own.length === 0 && shelf.role === 'guest' && (
        <div className="centre-note">Nothing stands on this shelf yet.</div>
      )}
      <div className="shelf-grid">
        {shelf.role !== 'guest' && (
          <Suspense fallback={<div className="drop" />}>
            <TakeIn shelf={shelf.id} />
          </Suspense>
        )}
        <Jobs shelf={shelf.id} />
        {shown.map((card) => (
          <ShelfCard
            key={card.id}
            card={card}
            shelves={shelves}
            isChosen={chosen?.has(card.id)}
            choose={() => toggle(card.id)}
            report={() => ask([card], { kind: 'report' })}
            bind={() => setBinding([card])}
          />
        ))}
      </div>
      {shown.length === 0 && own.length > 0 && (
        <div className="centre-note">No character here is called so.</div>
      )}
      {binding && (
        <Suspense fallback={null}>
          <BindDialog
            cards={binding}
            ask={(work) => ask(binding, work)}
            close={() => setBinding(undefined)}
          />
        </Suspense>
      )}
    </>
  );
}

interface ChosenToolsProps {
  readonly chosen: readonly CharacterCard[];
  readonly mayBind: boolean;
  readonly all: () => void;
  readonly report: (which: readonly CharacterCard[]) => void;
  readonly bind: (which: readonly CharacterCard[]) => void;
  readonly done: () => void;
}

/** What can be done with several characters at once. */
function ChosenTools({ chosen, mayBind, all, report, bind, done }: ChosenToolsProps) {
  const none = chosen.length === 0;
  return (
    <>
      <span role="status">{none ? 'Choose characters below' : `${chosen.length} chosen`}</span>
      <Button variant="subtle" onClick={all}>
        All
      </Button>
      <Button variant="default" disabled={none} onClick={() => report(chosen)}>
        Report
      </Button>
      {mayBind && (
        <Button variant="default" disabled={none} onClick={() => bind(chosen)}>
          Bind…
        </Button>
      )}
      <Button variant="subtle" onClick={done}>
        Done
      </Button>
    </>
  );
}
