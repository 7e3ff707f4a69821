import { accountAnswer, invitationAnswer, joinedAnswer, type Account } from '@judoka/contract';
import type { z } from 'zod';
import { request } from '../api/http.ts';
import { dropCopies } from '../document/copies/copyStore.ts';

// The ways in. They are no queries: what they send is used once.

async function post(path: string, body: unknown): Promise<unknown> {
  const response = await request(path, {
    method: 'POST',
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify(body),
  });
  return response.json();
}

export const enter = async (key: string): Promise<Account> =>
  accountAnswer.parse(await post('/api/enter', { key }));

export const signIn = async (name: string, password: string): Promise<Account> =>
  accountAnswer.parse(await post('/api/session', { name, password }));

export async function signOut(): Promise<void> {
  await request('/api/session', { method: 'DELETE' });
  await dropCopies().catch(() => undefined);
}

export type InvitationTo = z.infer<typeof invitationAnswer>;

export const lookAtInvitation = async (token: string): Promise<InvitationTo> =>
  invitationAnswer.parse(await post('/api/invitations/look', { token }));

/** @returns the shelf that was joined */
export const join = async (token: string): Promise<string> =>
  joinedAnswer.parse(await post('/api/invitations/join', { token })).shelf;

/** Makes an account with an invitation, and signs it in. @returns the shelf that was joined */
export const makeAccount = async (token: string, name: string, password: string): Promise<string> =>
  joinedAnswer.parse(await post('/api/accounts', { token, name, password })).shelf;

/** Where to go after signing in: only to a page of this place. */
export function placeToGo(wanted: string | null): string {
  return wanted !== null && /^\/(?![/\\])/.test(wanted) ? wanted : '/';
}
