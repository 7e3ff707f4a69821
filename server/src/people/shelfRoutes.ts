import {
  invitationBody,
  invitationParams,
  madeInvitation,
  peopleAnswer,
  personChange,
  personParams,
  shelfBody,
  shelfParam,
  shelvesAnswer,
} from '@judoka/contract';
import express, { type RequestHandler, type Router } from 'express';
import { accountId } from '../accounts/session.ts';
import { transaction, type Database } from '../database.ts';
import { asked, RequestError } from '../http/requestError.ts';
import { dropInvitation, insertInvitation } from './invitations.queries.ts';
import { changeMember, listInvitations, listPeople } from './members.queries.ts';
import { findShelfRole, insertShelf, listShelves, missingShelf, renameShelf } from './shelves.queries.ts';

/** Shelves, who is on them, and invitations to them. */
export function shelfRoutes(database: Database): Router {
  const routes = express.Router();
  const needOwner = onlyOwners(database);

  routes.get('/shelves', async (request, response) => {
    response.json(shelvesAnswer.parse({ shelves: await listShelves(database, accountId(request)) }));
  });

  routes.post('/shelves', express.json(), async (request, response) => {
    const { name } = asked(shelfBody, request.body);
    const id = await transaction(database, (db) => insertShelf(db, accountId(request), name));
    const shelf = (await listShelves(database, accountId(request))).find((each) => each.id === id);
    response.status(201).json(shelf);
  });

  routes.patch('/shelves/:shelf', needOwner, express.json(), async (request, response) => {
    const { shelf } = asked(shelfParam, request.params);
    const { name } = asked(shelfBody, request.body);
    if (!(await renameShelf(database, accountId(request), shelf, name))) throw missingShelf();
    response.status(204).end();
  });

  routes.get('/shelves/:shelf/people', async (request, response) => {
    const { shelf } = asked(shelfParam, request.params);
    const account = accountId(request);
    const role = await findShelfRole(database, account, shelf);
    if (!role) throw missingShelf();
    const invitations = role === 'owner' ? await listInvitations(database, shelf) : [];
    response.json(peopleAnswer.parse({ people: await listPeople(database, account, shelf), invitations }));
  });

  routes.patch('/shelves/:shelf/people/:account', needOwner, express.json(), async (request, response) => {
    const { shelf, account } = asked(personParams, request.params);
    const { role } = asked(personChange, request.body);
    if (!(await changeMember(database, shelf, account, role))) throw missingPerson();
    response.status(204).end();
  });

  // Whoever is on a shelf may leave it; others are taken off by an owner.
  routes.delete('/shelves/:shelf/people/:account', async (request, response) => {
    const { shelf, account } = asked(personParams, request.params);
    const role = await findShelfRole(database, accountId(request), shelf);
    if (!role) throw missingShelf();
    if (role !== 'owner' && account !== accountId(request)) throw onlyAnOwner();
    if (!(await changeMember(database, shelf, account, undefined))) throw missingPerson();
    response.status(204).end();
  });

  routes.post('/shelves/:shelf/invitations', needOwner, express.json(), async (request, response) => {
    const { shelf } = asked(shelfParam, request.params);
    const { role } = asked(invitationBody, request.body);
    const made = await insertInvitation(database, accountId(request), shelf, role);
    response.status(201).json(madeInvitation.parse(made));
  });

  routes.delete('/shelves/:shelf/invitations/:invitation', needOwner, async (request, response) => {
    const { shelf, invitation } = asked(invitationParams, request.params);
    if (!(await dropInvitation(database, shelf, invitation)))
      throw new RequestError('not-found', 'This invitation was taken or withdrawn already.');
    response.status(204).end();
  });
  return routes;
}

const onlyAnOwner = (): RequestError =>
  new RequestError('not-allowed', 'Only an owner of the shelf says who is on it.');
const missingPerson = (): RequestError =>
  new RequestError('not-found', 'Nobody of this kind is on the shelf.');

function onlyOwners(database: Database): RequestHandler<Record<string, string>> {
  return async (request, _response, next) => {
    const { shelf } = asked(shelfParam, { shelf: request.params.shelf });
    const role = await findShelfRole(database, accountId(request), shelf);
    if (!role) throw missingShelf();
    if (role !== 'owner') throw onlyAnOwner();
    next();
  };
}
