import { useEffect, useState } from 'react';
import { Link } from 'react-router';
import { momentWords } from '../ui/momentWords.ts';
import { listCopies } from '../document/copies/copyStore.ts';

type Copies = Awaited<ReturnType<typeof listCopies>>;

/** What this browser keeps of characters, to go on with while the server is away. */
export function KeptHere() {
  const [copies, setCopies] = useState<Copies>([]);
  useEffect(() => {
    listCopies().then(setCopies, () => undefined);
  }, []);
  if (copies.length === 0) return null;
  return (
    <section aria-label="Kept in this browser" className="kept-here">
      <p>Kept in this browser, to go on with now; what you do is sent when the server is back:</p>
      <ul>
        {copies.map(({ character, header, keptAt }) => (
          <li key={character}>
            <Link to={`/characters/${character}/paint`}>{header.name}</Link>
            <span className="card-line">{momentWords(keptAt)}</span>
          </li>
        ))}
      </ul>
    </section>
  );
}
