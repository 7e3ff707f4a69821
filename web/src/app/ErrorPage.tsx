import { Button } from '@mantine/core';
import { Link, useRouteError } from 'react-router';

/** Where nothing is, or where drawing a page failed. */
export function ErrorPage() {
  const error = useRouteError();
  const failed = error instanceof Error;
  return (
    <div className="centre-note" role="alert">
      <strong>{failed ? 'This page could not be drawn.' : 'There is nothing at this address.'}</strong>
      {failed && (
        <span className="card-line">{error.message}. Everything that was called saved is kept.</span>
      )}
      <Button component={Link} to="/" variant="default" reloadDocument>
        Back to the shelf
      </Button>
    </div>
  );
}
