import { Button, PasswordInput, TextInput } from '@mantine/core';
import { messageOf } from '@judoka/core/errors';
import { useState } from 'react';
import { signIn } from './doors.ts';
import { Refused } from './Door.tsx';

/** Name and password of an account that has one. */
export function SignInForm({ done }: { done: () => void }) {
  const [name, setName] = useState('');
  const [password, setPassword] = useState('');
  const [busy, setBusy] = useState(false);
  const [refusal, setRefusal] = useState<string>();
  const send = async (): Promise<void> => {
    setBusy(true);
    setRefusal(undefined);
    try {
      await signIn(name, password);
      done();
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
        label="Name"
        name="name"
        autoComplete="username"
        required
        withAsterisk={false}
        value={name}
        onChange={(event) => setName(event.currentTarget.value)}
      />
      <PasswordInput
        label="Password"
        name="password"
        autoComplete="current-password"
        required
        withAsterisk={false}
        value={password}
        onChange={(event) => setPassword(event.currentTarget.value)}
      />
      <Refused why={refusal} />
      <Button type="submit" loading={busy}>
        Sign in
      </Button>
    </form>
  );
}
