import { createApi, type BaseQueryFn } from '@reduxjs/toolkit/query/react';
import { shelfAnswer, type CharacterCard } from '@judoka/contract';
import { HttpError, request } from './http.ts';

export interface ApiFailure {
  readonly code: string;
  readonly message: string;
}

interface Call {
  readonly path: string;
  readonly method?: string;
  readonly body?: unknown;
}

const baseQuery: BaseQueryFn<Call, unknown, ApiFailure> = async ({ path, method = 'GET', body }) => {
  try {
    const response = await request(path, {
      method,
      headers: body === undefined ? {} : { 'Content-Type': 'application/json' },
      body: body === undefined ? undefined : JSON.stringify(body),
    });
    return { data: response.status === 204 ? null : ((await response.json()) as unknown) };
  } catch (error) {
    const { code, message } =
      error instanceof HttpError ? error : { code: 'server-failed', message: String(error) };
    return { error: { code, message } };
  }
};

/** What the page asks the server for as JSON; geometry and weights go their own ways (session/). */
export const api = createApi({
  reducerPath: 'api',
  baseQuery,
  tagTypes: ['Shelf'],
  endpoints: (build) => ({
    shelf: build.query<CharacterCard[], undefined>({
      query: () => ({ path: '/api/characters' }),
      transformResponse: (answer: unknown) => shelfAnswer.parse(answer).characters,
      providesTags: ['Shelf'],
    }),
    changeCharacter: build.mutation<null, { id: string; change: { name?: string; removed?: boolean } }>({
      query: ({ id, change }) => ({ path: `/api/characters/${id}`, method: 'PATCH', body: change }),
      invalidatesTags: ['Shelf'],
    }),
  }),
});

export const { useShelfQuery, useChangeCharacterMutation } = api;
