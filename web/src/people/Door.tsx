import type { ReactNode } from 'react';
import '@mantine/core/styles.layer.css';
import './people.css';

/** A page before one is in: what it is, what to do, and nothing else. */
export function Door({ title, children }: { title: string; children: ReactNode }) {
  return (
    <main className="door">
      <section className="door-sheet" aria-label={title}>
        <p className="door-place">Judoka</p>
        <h1>{title}</h1>
        {children}
      </section>
    </main>
  );
}

/** Why the last try did not go through. */
export function Refused({ why }: { why: string | undefined }) {
  return why === undefined ? null : (
    <p role="alert" className="door-refused">
      {why}
    </p>
  );
}
