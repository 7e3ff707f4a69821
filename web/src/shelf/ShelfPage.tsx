import { Button, Loader } from '@mantine/core';
import { lazy, Suspense } from 'react';
import { useShelfQuery } from '../api/api.ts';
import type { ApiFailure } from '../api/api.ts';
import { ShelfCard } from './ShelfCard.tsx';
import './shelf.css';

/** Comes a moment later: what tells files apart is as large as the shelf itself. */
const TakeIn = lazy(async () => ({ default: (await import('./TakeIn.tsx')).TakeIn }));

/** All characters of the account, and the place where new ones come in. */
export function ShelfPage() {
  const { data, error, isLoading, refetch } = useShelfQuery(undefined, { refetchOnMountOrArgChange: true });
  document.title = 'Judoka';
  return (
    <main className="shelf">
      <header className="shelf-head">
        <h1>Characters</h1>
        {data && (
          <span className="card-line">
            {data.length === 1 ? '1 on the shelf' : `${data.length} on the shelf`}
          </span>
        )}
      </header>
      {isLoading && <Loader size="sm" aria-label="Loading the shelf" />}
      {error && (
        <div className="centre-note" role="alert">
          <span>{(error as ApiFailure).message}</span>
          <Button variant="default" onClick={() => void refetch()}>
            Try again
          </Button>
        </div>
      )}
      <div className="shelf-grid">
        {data?.map((card) => (
          <ShelfCard key={card.id} card={card} />
        ))}
        <Suspense fallback={<div className="drop" />}>
          <TakeIn />
        </Suspense>
      </div>
    </main>
  );
}
