import {
  accountAnswer,
  accountChange,
  invitationAnswer,
  joinedAnswer,
  keyBody,
  newAccountBody,
  signedInAnswer,
  signedInParam,
  signInBody,
  tokenBody,
} from '@judoka/contract';
import express, { type Request, type Router } from 'express';
import { transaction, type Database } from '../database.ts';
import { asked, RequestError } from '../http/requestError.ts';
import { findInvitation, takeInvitation } from '../people/invitations.queries.ts';
import { changeAccount, findAccount, findByName, findPassword, insertAccount } from './accounts.queries.ts';
import { useEntryKey } from './entryKeys.queries.ts';
import { hashPassword, isPassword } from './passwords.ts';
import { accountId, begin, finish, needAccount } from './session.ts';
import { endSessions, listSessions, sessionName } from './sessions.queries.ts';
import { Throttle } from './throttle.ts';

const addressOf = (request: Request): string => request.ip ?? 'nowhere';

/** Ways in, for whoever is not signed in yet: a key, a name with a password, an invitation. */
export function entryRoutes(database: Database): Router {
  const routes = express.Router();
  const throttle = new Throttle(database);

  routes.post('/enter', express.json(), async (request, response) => {
    const { key } = asked(keyBody, request.body);
    await throttle.count(addressOf(request));
    const account = await useEntryKey(database, key);
    if (account === undefined)
      throw new RequestError(
        'not-signed-in',
        'This address was used already, or is too old. Start Judoka again in the same place: it prints a new one.',
      );
    await throttle.forgive(addressOf(request));
    await begin(request, account);
    response.json(accountAnswer.parse(await findAccount(database, account)));
  });

  routes.post('/session', express.json(), async (request, response) => {
    const { name, password } = asked(signInBody, request.body);
    await throttle.count(addressOf(request), name);
    const account = await findByName(database, name);
    if (!(await isPassword(account?.hash, password)) || !account)
      throw new RequestError('not-signed-in', 'Name and password do not fit together.');
    await throttle.forgive(addressOf(request), name);
    await begin(request, account.id);
    response.json(accountAnswer.parse(await findAccount(database, account.id)));
  });

  routes.post('/invitations/look', express.json(), async (request, response) => {
    const { token } = asked(tokenBody, request.body);
    await throttle.count(addressOf(request));
    const found = await findInvitation(database, token);
    if (!found) throw goneInvitation();
    response.json(invitationAnswer.parse(found));
  });

  routes.post('/accounts', express.json(), async (request, response) => {
    const { token, name, password } = asked(newAccountBody, request.body);
    await throttle.count(addressOf(request));
    const hash = await hashPassword(password);
    const { account, shelf } = await transaction(database, async (db) => {
      const made = await insertAccount(db, name, hash);
      const joined = await takeInvitation(db, token, made);
      if (joined === undefined) throw goneInvitation();
      return { account: made, shelf: joined };
    });
    await begin(request, account);
    response.status(201).json(joinedAnswer.parse({ shelf }));
  });
  return routes;
}

const goneInvitation = (): RequestError =>
  new RequestError(
    'not-found',
    'This invitation was taken or withdrawn, or is older than a week. Ask for a new one.',
  );

/** The account that is signed in: what it is called, its password, where it is signed in. */
export function accountRoutes(database: Database): Router {
  const routes = express.Router();
  const throttle = new Throttle(database);

  routes.get('/session', needAccount, async (request, response) => {
    const account = await findAccount(database, accountId(request));
    if (!account) throw new RequestError('not-signed-in', 'You are not signed in here.');
    response.json(accountAnswer.parse(account));
  });

  routes.delete('/session', needAccount, async (request, response) => {
    await finish(request);
    response.status(204).end();
  });

  routes.patch('/account', needAccount, express.json(), async (request, response) => {
    const { name, password } = asked(accountChange, request.body);
    const account = accountId(request);
    let hash: string | undefined;
    if (password) {
      const until = await findPassword(database, account);
      if (until !== null) {
        await throttle.count(addressOf(request), account);
        if (!(await isPassword(until, password.now)))
          throw new RequestError('request-invalid', 'The password until now is another one.', {
            field: 'password.now',
          });
      }
      hash = await hashPassword(password.next);
    }
    await transaction(database, (db) => changeAccount(db, account, { name, hash }));
    // Whoever knew the old password is out.
    if (hash !== undefined) await endSessions(database, account, (sid) => sid !== request.sessionID);
    response.json(accountAnswer.parse(await findAccount(database, account)));
  });

  routes.post('/invitations/join', needAccount, express.json(), async (request, response) => {
    const { token } = asked(tokenBody, request.body);
    const shelf = await transaction(database, (db) => takeInvitation(db, token, accountId(request)));
    if (shelf === undefined) throw goneInvitation();
    response.json(joinedAnswer.parse({ shelf }));
  });

  routes.get('/sessions', needAccount, async (request, response) => {
    const list = await listSessions(database, accountId(request), request.sessionID);
    response.json(signedInAnswer.parse({ sessions: list }));
  });

  routes.delete('/sessions/:session', needAccount, async (request, response) => {
    const { session } = asked(signedInParam, request.params);
    const ended = await endSessions(database, accountId(request), (sid) => sessionName(sid) === session);
    if (ended === 0) throw new RequestError('not-found', 'This session has ended already.');
    response.status(204).end();
  });

  routes.delete('/sessions', needAccount, async (request, response) => {
    await endSessions(database, accountId(request), (sid) => sid !== request.sessionID);
    response.status(204).end();
  });
  return routes;
}
