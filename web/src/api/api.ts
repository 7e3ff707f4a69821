import { createApi, type BaseQueryFn } from '@reduxjs/toolkit/query/react';
import {
  accountAnswer,
  jobsAnswer,
  madeInvitation,
  peopleAnswer,
  placeAnswer,
  shelf,
  shelfAnswer,
  shelvesAnswer,
  signedInAnswer,
  type Account,
  type AskedBatch,
  type CharacterCard,
  type Job,
  type PlaceAnswer,
  type Role,
  type Shelf,
  type SignedIn,
} from '@judoka/contract';
import type { z } from 'zod';
import { HttpError, request } from './http.ts';

export interface ApiFailure {
  readonly code: string;
  readonly message: string;
  readonly field?: string | number;
}

interface Call {
  readonly path: string;
  readonly method?: string;
  readonly body?: unknown;
}

/** What the page asks the server for as JSON, as RTK Query calls it. @throws never: a refusal is returned */
const baseQuery: BaseQueryFn<Call, unknown, ApiFailure> = async ({ path, method = 'GET', body }) => {
  try {
    const response = await request(path, {
      method,
      headers: body === undefined ? {} : { 'Content-Type': 'application/json' },
      body: body === undefined ? undefined : JSON.stringify(body),
    });
    return { data: [202, 204].includes(response.status) ? null : ((await response.json()) as unknown) };
  } catch (error) {
    const known = error instanceof HttpError ? error : new HttpError('server-failed', String(error));
    return { error: { code: known.code, message: known.message, field: known.detail.field } };
  }
};

type People = z.infer<typeof peopleAnswer>;
export type MadeInvitation = z.infer<typeof madeInvitation>;

/** What the page asks the server for as JSON; geometry and weights go their own ways (document/). */
export const api = createApi({
  reducerPath: 'api',
  baseQuery,
  tagTypes: ['Characters', 'Me', 'Shelves', 'People', 'Sessions', 'Jobs'],
  endpoints: (build) => ({
    characters: build.query<CharacterCard[], undefined>({
      query: () => ({ path: '/api/characters' }),
      transformResponse: (answer: unknown) => shelfAnswer.parse(answer).characters,
      providesTags: ['Characters'],
    }),
    changeCharacter: build.mutation<
      null,
      { id: string; change: { name?: string; removed?: boolean; shelf?: string } }
    >({
      query: ({ id, change }) => ({ path: `/api/characters/${id}`, method: 'PATCH', body: change }),
      invalidatesTags: ['Characters'],
    }),
    /** Heavy work: files on their way to a shelf, reports, bindings. */
    jobs: build.query<Job[], undefined>({
      query: () => ({ path: '/api/jobs' }),
      transformResponse: (answer: unknown) => jobsAnswer.parse(answer).jobs,
      providesTags: ['Jobs'],
    }),
    askForWork: build.mutation<null, AskedBatch>({
      query: (body) => ({ path: '/api/jobs', method: 'POST', body }),
      invalidatesTags: ['Jobs'],
    }),
    /** Stops what is not over of a batch; puts it away where all of it is over. */
    stopBatch: build.mutation<null, string>({
      query: (id) => ({ path: `/api/batches/${id}`, method: 'DELETE' }),
      invalidatesTags: ['Jobs'],
    }),
    /** Stops a job, or puts one away that is over. */
    stopJob: build.mutation<null, string>({
      query: (id) => ({ path: `/api/jobs/${id}`, method: 'DELETE' }),
      invalidatesTags: ['Jobs'],
    }),
    me: build.query<Account, undefined>({
      query: () => ({ path: '/api/session' }),
      transformResponse: (answer: unknown) => accountAnswer.parse(answer),
      providesTags: ['Me'],
    }),
    changeMe: build.mutation<null, { name?: string; password?: { now: string; next: string } }>({
      query: (body) => ({ path: '/api/account', method: 'PATCH', body }),
      invalidatesTags: ['Me', 'Shelves', 'Sessions'],
    }),
    place: build.query<PlaceAnswer, undefined>({
      query: () => ({ path: '/api/place' }),
      transformResponse: (answer: unknown) => placeAnswer.parse(answer),
    }),
    sessions: build.query<SignedIn[], undefined>({
      query: () => ({ path: '/api/sessions' }),
      transformResponse: (answer: unknown) => signedInAnswer.parse(answer).sessions,
      providesTags: ['Sessions'],
    }),
    /** Ends one session, or all others. */
    endSession: build.mutation<null, string | undefined>({
      query: (id) => ({ path: `/api/sessions${id === undefined ? '' : `/${id}`}`, method: 'DELETE' }),
      invalidatesTags: ['Sessions'],
    }),
    shelves: build.query<Shelf[], undefined>({
      query: () => ({ path: '/api/shelves' }),
      transformResponse: (answer: unknown) => shelvesAnswer.parse(answer).shelves,
      providesTags: ['Shelves'],
    }),
    makeShelf: build.mutation<Shelf, string>({
      query: (name) => ({ path: '/api/shelves', method: 'POST', body: { name } }),
      transformResponse: (answer: unknown) => shelf.parse(answer),
      invalidatesTags: ['Shelves'],
    }),
    renameShelf: build.mutation<null, { id: string; name: string }>({
      query: ({ id, name }) => ({ path: `/api/shelves/${id}`, method: 'PATCH', body: { name } }),
      invalidatesTags: ['Shelves'],
    }),
    people: build.query<People, string>({
      query: (id) => ({ path: `/api/shelves/${id}/people` }),
      transformResponse: (answer: unknown) => peopleAnswer.parse(answer),
      providesTags: ['People'],
    }),
    /** Gives somebody another role, or takes them off the shelf. */
    changePerson: build.mutation<null, { shelf: string; account: string; role?: Role }>({
      query: ({ shelf: id, account, role }) => ({
        path: `/api/shelves/${id}/people/${account}`,
        method: role ? 'PATCH' : 'DELETE',
        body: role && { role },
      }),
      invalidatesTags: ['People', 'Shelves', 'Characters'],
    }),
    invite: build.mutation<MadeInvitation, { shelf: string; role: Role }>({
      query: ({ shelf: id, role }) => ({
        path: `/api/shelves/${id}/invitations`,
        method: 'POST',
        body: { role },
      }),
      transformResponse: (answer: unknown) => madeInvitation.parse(answer),
      invalidatesTags: ['People'],
    }),
    withdraw: build.mutation<null, { shelf: string; id: string }>({
      query: ({ shelf: of, id }) => ({ path: `/api/shelves/${of}/invitations/${id}`, method: 'DELETE' }),
      invalidatesTags: ['People'],
    }),
  }),
});

export const {
  useCharactersQuery,
  useChangeCharacterMutation,
  useAskForWorkMutation,
  useJobsQuery,
  useStopBatchMutation,
  useStopJobMutation,
  useMeQuery,
  usePlaceQuery,
  useChangeMeMutation,
  useSessionsQuery,
  useEndSessionMutation,
  useShelvesQuery,
  useMakeShelfMutation,
  useRenameShelfMutation,
  usePeopleQuery,
  useChangePersonMutation,
  useInviteMutation,
  useWithdrawMutation,
} = api;
