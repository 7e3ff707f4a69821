import { Button, Loader } from '@mantine/core';
import { lazy, Suspense, useEffect, useState } from 'react';
import { Navigate, useSearchParams } from 'react-router';
import { useCharactersQuery, usePlaceQuery, useShelvesQuery, type ApiFailure } from '../api/api.ts';
import { AccountButton } from '../people/AccountButton.tsx';
import { BackupsFail } from '../people/BackupsFail.tsx';
import { Cards } from './Cards.tsx';
import { ShelfTabs } from './ShelfTabs.tsx';
import './shelf.css';

const KeptHere = lazy(async () => ({ default: (await import('./KeptHere.tsx')).KeptHere }));

const ANEW = { refetchOnMountOrArgChange: true } as const;
/** Characters that the server is looking over are asked for so often, and no longer than this. */
const LOOK_MS = 2500;
const PATIENCE_MS = 90_000;

/** The characters of a shelf, whose it is, and the place where new ones come in. */
export function ShelfPage() {
  const [params] = useSearchParams();
  const [since] = useState(() => Date.now());
  const [isWaiting, setIsWaiting] = useState(false);
  const characters = useCharactersQuery(undefined, {
    ...ANEW,
    pollingInterval: isWaiting ? LOOK_MS : 0,
    skipPollingIfUnfocused: true,
  });
  const isUnchecked = characters.data?.some(({ isChecked }) => !isChecked) ?? false;
  useEffect(
    () => setIsWaiting(isUnchecked && Date.now() - since < PATIENCE_MS),
    [isUnchecked, since, characters.fulfilledTimeStamp],
  );
  const shelves = useShelvesQuery(undefined, ANEW);
  const place = usePlaceQuery(undefined, ANEW);
  document.title = 'Judoka';
  const error = (characters.error ?? shelves.error) as ApiFailure | undefined;
  if (error?.code === 'not-signed-in')
    return (
      <Navigate to={`/sign-in?${new URLSearchParams({ to: location.pathname + location.search })}`} replace />
    );
  const wanted = params.get('shelf');
  const shown = shelves.data?.find(({ id, isOwn }) => (wanted === null ? isOwn : id === wanted));
  const again = (): void => {
    void characters.refetch();
    void shelves.refetch();
  };
  return (
    <main className="shelf">
      <header className="shelf-head">
        <h1>Characters</h1>
        <span className="spread" />
        <AccountButton />
      </header>
      {shelves.data && shown && <ShelfTabs shelves={shelves.data} shown={shown} />}
      {place.data?.failedAt && <BackupsFail since={place.data.failedAt} />}
      {(characters.isLoading || shelves.isLoading) && <Loader size="sm" aria-label="Loading the shelf" />}
      {error && (
        <>
          <Trouble message={troubleWords(error)} again={again} />
          <Suspense fallback={null}>
            <KeptHere />
          </Suspense>
        </>
      )}
      {shelves.data && !shown && <Trouble message="This shelf does not exist, or you are not on it." />}
      {characters.data && shelves.data && shown && (
        <Cards key={shown.id} cards={characters.data} shelf={shown} shelves={shelves.data} />
      )}
    </main>
  );
}

/** Here nothing is being done that could be kept. */
const troubleWords = ({ code, message }: ApiFailure): string =>
  code === 'offline' ? 'The server cannot be reached: it is not running, or the network is away.' : message;

function Trouble({ message, again }: { message: string; again?: () => void }) {
  return (
    <div className="centre-note" role="alert">
      <span>{message}</span>
      {again && (
        <Button variant="default" onClick={again}>
          Try again
        </Button>
      )}
    </div>
  );
}
