import { useEffect } from 'react';
import { useSearchParams } from 'react-router';
import { placeToGo } from './doors.ts';
import { Door } from './Door.tsx';
import { SignInForm } from './SignInForm.tsx';

/** Where a browser comes that is not known here. */
export function SignInPage() {
  const [params] = useSearchParams();
  useEffect(() => {
    document.title = 'Sign in, Judoka';
  }, []);
  return (
    <Door title="Sign in">
      {/* The page begins anew, so that nothing of whoever was here before is left in it. */}
      <SignInForm done={() => location.assign(placeToGo(params.get('to')))} />
      <p className="card-line">
        At the machine that Judoka runs on, no password is needed: open the address that{' '}
        <code>npm start</code> printed. It was used already? Run <code>npm start</code> there once more; it
        prints a new one and disturbs nobody. Anybody else needs an invitation from an owner of a shelf.
      </p>
    </Door>
  );
}
