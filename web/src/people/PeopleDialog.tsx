import { ActionIcon, Button, CopyButton, Group, Modal, Select, TextInput } from '@mantine/core';
import type { Invitation, Person, Role, Shelf } from '@judoka/contract';
import { IconX } from '@tabler/icons-react';
import { useState } from 'react';
import {
  useChangePersonMutation,
  useInviteMutation,
  useMeQuery,
  usePeopleQuery,
  useRenameShelfMutation,
  useWithdrawMutation,
  type ApiFailure,
  type MadeInvitation,
} from '../api/api.ts';
import { TextSetting } from '../ui/TextSetting.tsx';
import { Refused } from './Door.tsx';
import { ROLES, roleMay, roleWords } from './roles.ts';
import '@mantine/core/styles.layer.css';
import './people.css';

const ROLE_CHOICES = ROLES.map(({ value, label }) => ({ value, label }));

/** Who is on a shelf, in which role, and how others come onto it. */
export function PeopleDialog({ shelf, close }: { shelf: Shelf; close: () => void }) {
  const { data, error } = usePeopleQuery(shelf.id, {
    refetchOnMountOrArgChange: true,
    pollingInterval: 15_000,
  });
  const isOwner = shelf.role === 'owner';
  const [change, changed] = useChangePersonMutation();
  const failure = (error ?? changed.error) as ApiFailure | undefined;
  return (
    <Modal opened onClose={close} title={`People on ${shelf.isOwn ? 'my shelf' : shelf.name}`} size={520}>
      <Refused why={failure?.message} />
      {isOwner && !shelf.isOwn && <ShelfName key={shelf.name} shelf={shelf} />}
      <ul className="people-list" aria-label="People">
        {data?.people.map((person) => (
          <PersonRow
            key={person.id}
            person={person}
            isOwner={isOwner}
            isFixed={shelf.isOwn && person.isMe}
            change={(role) => void change({ shelf: shelf.id, account: person.id, role })}
          />
        ))}
      </ul>
      {isOwner && <Invitations shelf={shelf} invitations={data?.invitations ?? []} />}
    </Modal>
  );
}

function ShelfName({ shelf }: { shelf: Shelf }) {
  const [rename] = useRenameShelfMutation();
  return (
    <TextSetting
      label="Name of the shelf"
      value={shelf.name}
      keep={(name) => void rename({ id: shelf.id, name })}
    />
  );
}

interface PersonRowProps {
  readonly person: Person;
  /** Whoever looks is an owner of the shelf. */
  readonly isOwner: boolean;
  readonly isFixed: boolean;
  /** Another role; none takes the person off the shelf. */
  readonly change: (role?: Role) => void;
}

function PersonRow({ person, isOwner, isFixed, change }: PersonRowProps) {
  const [asks, setAsks] = useState(false);
  const name = person.isMe ? `${person.name} (you)` : person.name;
  return (
    <li>
      <div>
        {name}
        <div className="card-line">{roleMay(person.role)}</div>
      </div>
      <span className="spread" />
      {isOwner && !isFixed ? (
        <Select
          w={112}
          size="xs"
          aria-label={`Role of ${person.name}`}
          data={ROLE_CHOICES}
          value={person.role}
          allowDeselect={false}
          onChange={(role) => role && role !== person.role && change(role)}
        />
      ) : (
        <span>{roleWords(person.role)}</span>
      )}
      {(isOwner || person.isMe) && !isFixed && (
        <Button
          size="compact-xs"
          variant={asks ? 'filled' : 'subtle'}
          color={asks ? 'red' : undefined}
          onBlur={() => setAsks(false)}
          onClick={() => (asks ? change() : setAsks(true))}
        >
          {asks ? 'Sure' : person.isMe ? 'Leave' : 'Take off'}
        </Button>
      )}
    </li>
  );
}

function Invitations({ shelf, invitations }: { shelf: Shelf; invitations: readonly Invitation[] }) {
  const [role, setRole] = useState<Role>('painter');
  const [invite, { error, isLoading }] = useInviteMutation();
  const [withdraw] = useWithdrawMutation();
  const [made, setMade] = useState<MadeInvitation>();
  const { data: me } = useMeQuery(undefined);
  return (
    <>
      <h2 className="dialog-part">Invite somebody</h2>
      <Group gap={8} align="center">
        <Select
          w={130}
          aria-label="Role of the invitation"
          data={ROLE_CHOICES}
          value={role}
          allowDeselect={false}
          onChange={(value) => value && setRole(value)}
        />
        <Button
          loading={isLoading}
          onClick={() =>
            void invite({ shelf: shelf.id, role })
              .unwrap()
              .then(setMade, () => undefined)
          }
        >
          Make an invitation
        </Button>
      </Group>
      <p className="card-line">{`A ${role} ${roleMay(role)}. One person can take it, within a week.`}</p>
      <Refused why={(error as ApiFailure | undefined)?.message} />
      {made && <MadeLink made={made} />}
      {me && !me.hasPassword && (
        <p className="card-line">
          You have no password yet, so only this browser is yours. Set one under Account to come in from
          elsewhere.
        </p>
      )}
      {invitations.length > 0 && (
        <>
          <h2 className="dialog-part">Not taken yet</h2>
          <ul className="people-list" aria-label="Invitations">
            {invitations.map((each) => (
              <li key={each.id}>
                <div>
                  {roleWords(each.role)}
                  <div className="card-line">
                    {`by ${each.by}, until ${new Date(each.expiresAt).toLocaleDateString(undefined, { day: 'numeric', month: 'long' })}`}
                  </div>
                </div>
                <span className="spread" />
                <ActionIcon
                  variant="subtle"
                  aria-label={`Withdraw the invitation as ${each.role}`}
                  onClick={() => {
                    void withdraw({ shelf: shelf.id, id: each.id });
                    if (made?.id === each.id) setMade(undefined);
                  }}
                >
                  <IconX size={15} />
                </ActionIcon>
              </li>
            ))}
          </ul>
        </>
      )}
    </>
  );
}

/** The link, told once: only what it opens is kept. */
function MadeLink({ made }: { made: MadeInvitation }) {
  const link = `${location.origin}/join#${made.token}`;
  return (
    <Group gap={8} mt={10} wrap="nowrap" align="end">
      <TextInput
        style={{ flex: 1 }}
        label={`Send this link to the ${made.role}; it is shown only now`}
        readOnly
        value={link}
        onFocus={(event) => event.currentTarget.select()}
      />
      <CopyButton value={link}>
        {({ copied, copy }) => (
          <Button variant="default" onClick={copy}>
            {copied ? 'Copied' : 'Copy'}
          </Button>
        )}
      </CopyButton>
    </Group>
  );
}
