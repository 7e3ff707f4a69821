import { z } from 'zod';
import { storableText, givenName } from './text.ts';

/** What somebody may do on a shelf. A guest looks and comments, and never changes a character. */
export const role = z.enum(['owner', 'painter', 'guest']);
export type Role = z.infer<typeof role>;

export const password = z
  .string()
  .min(10, 'a password has at least 10 characters')
  .max(200, 'a password has at most 200 characters');
/** A key or a token as it stands in an address. */
const token = z.string().regex(/^[\w-]{20,100}$/, 'this is no whole address');

export const accountAnswer = z.object({
  id: z.uuid(),
  name: z.string(),
  /** The account of the machine that the place runs on. */
  isLocal: z.boolean(),
  hasPassword: z.boolean(),
});
export type Account = z.infer<typeof accountAnswer>;

export const keyBody = z.object({ key: token });
export const signInBody = z.object({ name: givenName, password: z.string().min(1).max(200) });
export const accountChange = z
  .object({
    name: givenName,
    /** With the one until now, where there is one. */
    password: z.object({ now: z.string().max(200), next: password }),
  })
  .partial();

export const signedIn = z.object({
  id: z.string(),
  /** The browser, in words. */
  browser: z.string(),
  address: z.string(),
  since: z.iso.datetime(),
  seenAt: z.iso.datetime(),
  isThis: z.boolean(),
});
export type SignedIn = z.infer<typeof signedIn>;
export const signedInAnswer = z.object({ sessions: z.array(signedIn) });
export const signedInParam = z.object({ session: z.string().regex(/^[\w-]{10,64}$/) });

export const shelf = z.object({
  id: z.uuid(),
  name: z.string(),
  /** It belongs to the account that asks, and cannot be left. */
  isOwn: z.boolean(),
  role,
  people: z.number().int(),
});
export type Shelf = z.infer<typeof shelf>;
export const shelvesAnswer = z.object({ shelves: z.array(shelf) });
export const shelfParam = z.object({ shelf: z.uuid() });
export const shelfBody = z.object({ name: givenName });

export const person = z.object({ id: z.uuid(), name: z.string(), role, isMe: z.boolean() });
export type Person = z.infer<typeof person>;
export const invitation = z.object({
  id: z.uuid(),
  role,
  by: z.string(),
  expiresAt: z.iso.datetime(),
});
export type Invitation = z.infer<typeof invitation>;
export const peopleAnswer = z.object({ people: z.array(person), invitations: z.array(invitation) });
export const personParams = z.object({ shelf: z.uuid(), account: z.uuid() });
export const personChange = z.object({ role });
export const invitationBody = z.object({ role });
export const invitationParams = z.object({ shelf: z.uuid(), invitation: z.uuid() });
/** The only time that an invitation's token is told. */
export const madeInvitation = invitation.extend({ token });

export const tokenBody = z.object({ token });
export const invitationAnswer = z.object({ shelf: z.string(), by: z.string(), role });
export const joinedAnswer = z.object({ shelf: z.uuid() });
export const newAccountBody = z.object({ token, name: givenName, password });

const commentText = storableText
  .trim()
  .min(1, 'write something first')
  .max(2000, 'it has at most 2000 letters');
const index = z.number().int().min(0).max(0x7fffffff);
/** A point of a part. */
const place = z.object({ part: index, point: index });

export const comment = z.object({
  id: z.uuid(),
  by: z.string(),
  isMine: z.boolean(),
  text: z.string(),
  place: place.nullable(),
  joint: z.number().int().nullable(),
  madeAt: z.iso.datetime(),
  settledAt: z.iso.datetime().nullable(),
});
export type Comment = z.infer<typeof comment>;
export const commentsAnswer = z.object({ comments: z.array(comment) });
export const commentBody = z.object({
  id: z.uuid(),
  text: commentText,
  place: place.nullable(),
  joint: index.nullable(),
});
export type NewComment = z.infer<typeof commentBody>;
export const commentParams = z.object({ id: z.uuid(), comment: z.uuid() });
export const commentChange = z
  .object({ text: commentText, settled: z.boolean() })
  .partial()
  .refine((change) => Object.keys(change).length > 0, 'text or settled is needed');

export const presenceBody = z.object({ joint: index.nullable() });
/** Whether a page that closes leaves nothing unsent behind. */
export const goneQuery = z.object({ saved: z.enum(['0', '1']).default('0') });

/** Addresses of this place under which a browser may still keep edits of a character. */
export const elsewhereAnswer = z.object({
  addresses: z.array(z.object({ address: z.string(), seenAt: z.iso.datetime() })),
});
export type Elsewhere = z.infer<typeof elsewhereAnswer>['addresses'][number];
export const elsewhereBody = z.object({ address: z.string().max(200) });
export const elsewhereLink = z.object({ link: z.string() });
export const presenceParams = z.object({ id: z.uuid(), page: z.uuid() });
/** Somebody who has the character open. */
export const presentPerson = z.object({
  page: z.uuid(),
  name: z.string(),
  /** Another page of the one who looks. */
  isMe: z.boolean(),
  joint: z.number().int().nullable(),
});
export type PresentPerson = z.infer<typeof presentPerson>;
export const presentAnswer = z.object({ people: z.array(presentPerson) });
