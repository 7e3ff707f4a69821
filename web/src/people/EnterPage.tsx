import { Button, Loader } from '@mantine/core';
import { messageOf } from '@judoka/core/errors';
import { useEffect, useState } from 'react';
import { Link, useLocation, useNavigate, useSearchParams } from 'react-router';
import { request } from '../api/http.ts';
import { enter, placeToGo } from './doors.ts';
import { Door, Refused } from './Door.tsx';

/** The key of the address, once: the page may be drawn twice, the key opens once. */
let entering: { readonly key: string; readonly done: Promise<void> } | undefined;

function enterOnce(key: string): Promise<void> {
  if (entering?.key !== key) {
    const done = enter(key)
      .then(() => undefined)
      .catch(async (error: unknown) => {
        // Opened a second time in a browser that is in already: that is as good.
        await request('/api/session').catch(() => {
          throw error;
        });
      });
    entering = { key, done };
  }
  return entering.done;
}

/** The address that `npm start` printed: its key is used up here, and gone from the address. */
export function EnterPage() {
  const navigate = useNavigate();
  const { hash } = useLocation();
  const [params] = useSearchParams();
  const [refusal, setRefusal] = useState<string>();
  useEffect(() => {
    if (hash === '') return;
    setRefusal(undefined);
    enterOnce(hash.slice(1)).then(
      () => navigate(placeToGo(params.get('to')), { replace: true }),
      (error: unknown) => {
        setRefusal(messageOf(error));
      },
    );
  }, [navigate, hash, params]);
  if (refusal === undefined && hash !== '')
    return (
      <div className="centre-note" role="status">
        <Loader size="sm" aria-label="Coming in" />
      </div>
    );
  return (
    <Door title="This address does not open any more">
      <Refused why={refusal ?? 'The key is missing: open the whole address that npm start printed.'} />
      <Button component={Link} to="/sign-in" variant="default">
        Sign in with a password instead
      </Button>
    </Door>
  );
}
