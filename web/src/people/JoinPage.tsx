import { Button, Loader, PasswordInput, SegmentedControl, TextInput } from '@mantine/core';
import { messageOf } from '@judoka/core/errors';
import { useEffect, useState } from 'react';
import { useLocation } from 'react-router';
import { useMeQuery } from '../api/api.ts';
import { Door, Refused } from './Door.tsx';
import { join, lookAtInvitation, makeAccount, type InvitationTo } from './doors.ts';
import { roleMay, roleWords } from './roles.ts';
import { SignInForm } from './SignInForm.tsx';

/** An invitation: whose shelf, in which role, and what it takes to come in. */
export function JoinPage() {
  const token = useLocation().hash.slice(1);
  const [to, setTo] = useState<InvitationTo>();
  const [refusal, setRefusal] = useState<string>();
  const { data: me, isLoading, refetch } = useMeQuery(undefined, { refetchOnMountOrArgChange: true });
  useEffect(() => {
    document.title = 'Invitation, Judoka';
    setTo(undefined);
    setRefusal(undefined);
    lookAtInvitation(token).then(setTo, (error: unknown) => setRefusal(messageOf(error)));
  }, [token]);
  if (refusal !== undefined)
    return (
      <Door title="This invitation is not open">
        <Refused why={refusal} />
      </Door>
    );
  if (!to || isLoading)
    return (
      <div className="centre-note" role="status">
        <Loader size="sm" aria-label="Reading the invitation" />
      </div>
    );
  return (
    <Door title={to.shelf}>
      <p>
        {to.by} invites you as <strong>{roleWords(to.role).toLowerCase()}</strong>:{' '}
        {`a ${to.role} ${roleMay(to.role)}.`}
      </p>
      {me ? (
        <JoinAs name={me.name} token={token} />
      ) : (
        <NewHere token={token} signedIn={() => void refetch()} />
      )}
    </Door>
  );
}

const goTo = (shelf: string): void => location.assign(`/?shelf=${shelf}`);

function JoinAs({ name, token }: { name: string; token: string }) {
  const [refusal, setRefusal] = useState<string>();
  return (
    <>
      <Refused why={refusal} />
      <Button
        onClick={() => void join(token).then(goTo, (error: unknown) => setRefusal(messageOf(error)))}
      >{`Join as ${name}`}</Button>
    </>
  );
}

function NewHere({ token, signedIn }: { token: string; signedIn: () => void }) {
  const [way, setWay] = useState('new');
  return (
    <>
      <SegmentedControl
        aria-label="Account"
        value={way}
        onChange={setWay}
        data={[
          { value: 'new', label: 'I am new here' },
          { value: 'known', label: 'I have an account' },
        ]}
      />
      {way === 'new' ? <NewAccount token={token} /> : <SignInForm done={signedIn} />}
    </>
  );
}

function NewAccount({ token }: { token: string }) {
  const [name, setName] = useState('');
  const [password, setPassword] = useState('');
  const [busy, setBusy] = useState(false);
  const [refusal, setRefusal] = useState<string>();
  const send = async (): Promise<void> => {
    setBusy(true);
    setRefusal(undefined);
    try {
      goTo(await makeAccount(token, name, password));
    } catch (error) {
      setRefusal(messageOf(error));
      setBusy(false);
    }
  };
  return (
    <form
      className="door-form"
      onSubmit={(event) => {
        event.preventDefault();
        void send();
      }}
    >
      <TextInput
        label="Your name, as others see it"
        autoComplete="username"
        maxLength={120}
        required
        withAsterisk={false}
        value={name}
        onChange={(event) => setName(event.currentTarget.value)}
      />
      <PasswordInput
        label="A password, of at least 10 characters"
        autoComplete="new-password"
        required
        minLength={10}
        withAsterisk={false}
        value={password}
        onChange={(event) => setPassword(event.currentTarget.value)}
      />
      <Refused why={refusal} />
      <Button type="submit" loading={busy}>
        Make the account and join
      </Button>
    </form>
  );
}
