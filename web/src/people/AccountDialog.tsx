import { Button, Group, Modal, PasswordInput } from '@mantine/core';
import type { Account, SignedIn } from '@judoka/contract';
import { useState } from 'react';
import {
  useChangeMeMutation,
  useEndSessionMutation,
  useMeQuery,
  usePlaceQuery,
  useSessionsQuery,
  type ApiFailure,
} from '../api/api.ts';
import { TextSetting } from '../ui/TextSetting.tsx';
import { BackupsFail } from './BackupsFail.tsx';
import { Refused } from './Door.tsx';
import { signOut } from './doors.ts';
import { momentWords } from '../ui/momentWords.ts';
import '@mantine/core/styles.layer.css';
import './people.css';

/** One's name, password, and where one is signed in. */
export function AccountDialog({ close }: { close: () => void }) {
  const { data: me } = useMeQuery(undefined);
  if (!me) return null;
  return (
    <Modal opened onClose={close} title="Account" size={480}>
      <Name me={me} />
      <Password key={String(me.hasPassword)} me={me} />
      <Sessions />
      <Backups />
      <Group mt={20} justify="space-between">
        <span className="card-line">
          {me.hasPassword ? '' : 'Without a password you come back in only by a new address of npm start.'}
        </span>
        <Button
          variant="default"
          onClick={() =>
            void signOut().then(
              () => location.assign('/sign-in'),
              () => undefined,
            )
          }
        >
          Sign out here
        </Button>
      </Group>
    </Modal>
  );
}

/** When all of this place was last put into a backup. */
function Backups() {
  const { data } = usePlaceQuery(undefined, { refetchOnMountOrArgChange: true });
  if (!data) return null;
  const { backedUpAt, failedAt } = data;
  return (
    <section aria-label="Backups">
      <h2 className="dialog-part">Backups</h2>
      <p className="card-line">
        {backedUpAt === null
          ? 'No backup of this place has been made yet. npm run backup makes one; npm start makes them by itself.'
          : `All of this place was last backed up on ${momentWords(backedUpAt)}.`}
      </p>
      {failedAt !== null && <BackupsFail since={failedAt} />}
    </section>
  );
}

function Name({ me }: { me: Account }) {
  const [change, { error }] = useChangeMeMutation();
  return (
    <>
      <TextSetting
        key={me.name}
        label="Name, as others see it"
        value={me.name}
        keep={(name) => void change({ name })}
      />
      <Refused why={(error as ApiFailure | undefined)?.message} />
    </>
  );
}

function Password({ me }: { me: Account }) {
  const [now, setNow] = useState('');
  const [next, setNext] = useState('');
  const [change, { error, isLoading, isSuccess }] = useChangeMeMutation();
  return (
    <form
      className="door-form"
      onSubmit={(event) => {
        event.preventDefault();
        void change({ password: { now, next } })
          .unwrap()
          .then(
            () => {
              setNow('');
              setNext('');
            },
            () => undefined,
          );
      }}
    >
      <h2 className="dialog-part">{me.hasPassword ? 'Another password' : 'A password'}</h2>
      {!me.hasPassword && (
        <span className="card-line">
          At this machine you need none. With one you sign in from any browser that reaches this place.
        </span>
      )}
      {me.hasPassword && (
        <PasswordInput
          label="The one until now"
          autoComplete="current-password"
          value={now}
          onChange={(event) => setNow(event.currentTarget.value)}
        />
      )}
      <PasswordInput
        label="The new one, of at least 10 characters"
        autoComplete="new-password"
        minLength={10}
        value={next}
        onChange={(event) => setNext(event.currentTarget.value)}
      />
      <Refused why={(error as ApiFailure | undefined)?.message} />
      <Group gap={10}>
        <Button type="submit" variant="default" loading={isLoading} disabled={next.length === 0}>
          Set the password
        </Button>
        {isSuccess && next === '' && (
          <span role="status" className="card-line">
            It is set. Other browsers have to sign in anew.
          </span>
        )}
      </Group>
    </form>
  );
}

function Sessions() {
  const { data = [] } = useSessionsQuery(undefined, { refetchOnMountOrArgChange: true });
  const [end] = useEndSessionMutation();
  const others = data.filter(({ isThis }) => !isThis);
  return (
    <>
      <h2 className="dialog-part">Where you are signed in</h2>
      <ul className="people-list" aria-label="Sessions">
        {[...data]
          .sort((a, b) => Number(b.isThis) - Number(a.isThis))
          .map((each) => (
            <SessionRow key={each.id} session={each} end={() => void end(each.id)} />
          ))}
      </ul>
      {others.length > 1 && (
        <Button mt={8} variant="default" size="compact-sm" onClick={() => void end(undefined)}>
          {`End the ${others.length} others`}
        </Button>
      )}
    </>
  );
}

function SessionRow({ session, end }: { session: SignedIn; end: () => void }) {
  return (
    <li>
      <div>
        {session.browser}
        <div className="card-line">
          {`since ${momentWords(session.since)}${session.address ? `, from ${session.address}` : ''}`}
        </div>
      </div>
      <span className="spread" />
      {session.isThis ? (
        <span className="card-line">this browser</span>
      ) : (
        <Button size="compact-xs" variant="subtle" onClick={end}>
          End
        </Button>
      )}
    </li>
  );
}
