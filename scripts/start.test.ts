import {
  existsSync,
  mkdirSync,
  readFileSync,
  readdirSync,
  renameSync,
  statSync,
  writeFileSync,
} from 'node:fs';
import { dirname, join } from 'node:path';
import { spawn } from 'node:child_process';
import { afterEach, beforeEach, describe, expect, jest, test } from '@jest/globals';
import pg from 'pg';
import { findProgram } from './lib/cluster.mjs';
import { processesIn, until } from './lib/processes.mjs';
import { asDatabaseUser, isRoot, run } from './lib/run.mjs';
import {
  clusterOf,
  databasesIn,
  freeNumber,
  makeFolder,
  removePlace,
  Start,
} from './testing/startedPlace.ts';

jest.setTimeout(180_000);

let data: string;
let starts: Start[];
const start = (...args: ConstructorParameters<typeof Start>): Start => {
  const started = new Start(...args);
  starts.push(started);
  return started;
};
beforeEach(() => {
  data = makeFolder();
  starts = [];
});
afterEach(async () => {
  for (const each of starts) each.child.kill('SIGTERM');
  await Promise.all(starts.map((each) => each.ended));
  await until(() => databasesIn(data) === 0, 20_000);
  removePlace(data);
});

const secretOf = (folder = data): { user: string; password: string; database: string } =>
  JSON.parse(readFileSync(join(folder, 'postgres.json'), 'utf8')) as never;

/** A connection to the database of a place that runs, with its own secret. */
async function connect(folder = data): Promise<pg.Client> {
  const port = readFileSync(join(clusterOf(folder) ?? '', 'postmaster.pid'), 'utf8').split('\n')[3];
  const client = new pg.Client({ ...secretOf(folder), host: '127.0.0.1', port: Number(port) });
  await client.connect();
  return client;
}

async function ask<T extends pg.QueryResultRow>(sql: string, folder = data): Promise<T[]> {
  const client = await connect(folder);
  try {
    return (await client.query<T>(sql)).rows;
  } finally {
    await client.end();
  }
}

/** The number of the one child of a start whose command line has these words. */
function childOf({ child }: Start, words: string): number {
  const children = run('ps', ['-o', 'pid=,args=', '--ppid', String(child.pid)])
    .trim()
    .split('\n');
  const line = children.find((each) => each.includes(words));
  if (line === undefined) throw new Error(`No child with “${words}” among:\n${children.join('\n')}`);
  return Number(line.trim().split(' ')[0]);
}

const hasChild = (parent: Start, words: string): boolean => {
  try {
    return childOf(parent, words) > 0;
  } catch {
    return false;
  }
};

const answers = async (address: string): Promise<boolean> =>
  fetch(`${address}/api/session`).then(
    (response) => response.status < 500,
    () => false,
  );

describe('a first start that is interrupted', () => {
  test.each([0, 700])('%d ms into the making of the database goes on where it stopped', async (pause) => {
    const first = start(data);
    await until(() => existsSync(join(data, 'postgres.json')), 60_000, 5);
    await new Promise((resolve) => setTimeout(resolve, pause));
    await first.end('SIGKILL');
    const second = start(data);
    await second.address();
    await second.end();
    const left = readdirSync(data).filter((name) => /making|password|broken/.test(name));
    expect(left).toEqual([]);
  });

  test('in the making of the demo, makes the rest and nothing twice', async () => {
    const first = start(data, { env: { JUDOKA_DEMO: '1' } });
    await first.says(/Making the demo/);
    await until(async () => (await ask('select 1 from characters')).length > 0, 60_000);
    await first.end('SIGKILL');
    await until(() => databasesIn(data) === 0, 20_000);
    const second = start(data, { env: { JUDOKA_DEMO: '1' } });
    await second.address();
    const made = await ask<{ name: string }>('select name from characters order by name');
    expect(made.map(({ name }) => name)).toEqual([
      'The ferry-keeper',
      'The ferry-keeper, fine',
      'The lamplighter',
      'The porter',
    ]);
    await second.end();
    const third = start(data, { env: { JUDOKA_DEMO: '1' } });
    await third.address();
    expect(third.output).not.toMatch(/Making the demo/);
  });

  test('of an earlier version, which left half a database and its password', async () => {
    mkdirSync(join(data, 'postgres'), { recursive: true });
    writeFileSync(join(data, 'postgres/PG_VERSION'), '15\n');
    writeFileSync(join(data, 'postgres.json'), JSON.stringify({ password: 'half' }));
    writeFileSync(join(data, 'postgres.password'), 'half\n');
    const next = start(data);
    await next.address();
    expect(existsSync(join(data, 'postgres.password'))).toBe(false);
    const aside = readdirSync(data).find((name) => /^postgres\.broken-\d+$/.test(name)) ?? '';
    expect(JSON.parse(readFileSync(join(data, `${aside}.json`), 'utf8'))).toEqual({ password: 'half' });
  });
});

describe('where the data are', () => {
  test('it is said, owned by a role that is no superuser, with checksums, and found again after a move', async () => {
    const first = start(data);
    await first.address();
    expect(await first.says(/The data are in (\S+)/)).toBe(clusterOf(data));
    const [role] = await ask('select rolsuper from pg_roles where rolname = current_user');
    expect(role).toEqual({ rolsuper: false });
    expect(await ask('show data_checksums')).toEqual([{ data_checksums: 'on' }]);
    await ask("insert into place (name, value) values ('mark', 'still here')");
    await first.end();
    const moved = join(dirname(data), 'elsewhere');
    renameSync(data, moved);
    const second = start(moved);
    await second.address();
    expect(await ask("select value from place where name = 'mark'", moved)).toEqual([
      { value: 'still here' },
    ]);
    await second.end();
    renameSync(moved, data);
  });

  test('a secret whose database is gone is not written over', async () => {
    const first = start(data);
    await first.address();
    await first.end();
    const before = readFileSync(join(data, 'postgres.json'), 'utf8');
    const cluster = clusterOf(data) ?? '';
    renameSync(cluster, `${cluster}-away`);
    const second = start(data);
    expect(await second.ended).toBe(1);
    expect(second.output).toMatch(/was in .* and is not there\. Put that folder back/);
    expect(readFileSync(join(data, 'postgres.json'), 'utf8')).toBe(before);
    renameSync(`${cluster}-away`, cluster);
    await start(data).address();
  });

  test('a place of an earlier version keeps its rows; its role is no superuser any more', async () => {
    const cluster = join(data, 'postgres');
    mkdirSync(cluster, { recursive: true });
    writeFileSync(join(data, 'pw'), 'earlier\n', { mode: 0o644 });
    if (isRoot()) run('chown', ['postgres:', cluster]);
    const made = asDatabaseUser(findProgram('initdb'), [
      ...['-D', cluster, '-U', 'judoka', '-A', 'scram-sha-256', '-E', 'UTF8', '--locale=C'],
      `--pwfile=${join(data, 'pw')}`,
    ]);
    expect(made.stderr).toBe('');
    asDatabaseUser(findProgram('postgres'), ['--single', '-D', cluster, 'postgres'], {
      input:
        "create table kept (id serial primary key, words text)\ninsert into kept (words) values ('from before')\n",
    });
    writeFileSync(join(cluster, 'server.log'), '');
    writeFileSync(join(data, 'postgres.json'), JSON.stringify({ password: 'earlier' }));
    await start(data).address();
    expect(await ask('select words from kept')).toEqual([{ words: 'from before' }]);
    expect(await ask("insert into kept (words) values ('new') returning id")).toEqual([{ id: 2 }]);
    const [role] = await ask('select rolname, rolsuper from pg_roles where rolname = current_user');
    expect(role).toEqual({ rolname: 'judoka_app', rolsuper: false });
    expect(await ask('show data_checksums')).toEqual([{ data_checksums: 'on' }]);
  });

  const whenRoot = isRoot() ? test : test.skip;
  whenRoot(
    'root in a folder that PostgreSQL’s user cannot enter keeps it outside, and finds it after a move',
    async () => {
      run('chmod', ['700', dirname(data)]);
      const first = start(data);
      await first.address();
      const cluster = clusterOf(data) ?? '';
      expect(cluster).toMatch(/^\/var\/lib\/judoka\//);
      await ask("insert into place (name, value) values ('mark', 'outside')");
      await first.end();
      const moved = join(dirname(data), 'moved');
      renameSync(data, moved);
      const second = start(moved);
      await second.address();
      expect(await ask("select value from place where name = 'mark'", moved)).toEqual([{ value: 'outside' }]);
      await second.end();
      renameSync(moved, data);
    },
  );

  whenRoot('an ordinary user has everything in the folder, as their own', async () => {
    const uid = Number(run('id', ['-u', 'nobody']));
    mkdirSync(data);
    run('chown', [String(uid), data]);
    const first = start(data, { uid });
    await first.address();
    expect(clusterOf(data)).toBe(join(data, 'postgres'));
    expect(statSync(join(data, 'postgres')).uid).toBe(uid);
    expect(await first.end()).toBe(0);
  });
});

describe('one owner', () => {
  test('a second start gives the first’s address and leaves it alone, also when it is ended', async () => {
    const first = start(data);
    const address = await first.address();
    const second = start(data);
    expect(await second.ended).toBe(0);
    expect(second.output).toContain(`already runs for ${data}, at ${address}`);
    expect(await answers(address)).toBe(true);
    expect(databasesIn(data)).toBeGreaterThan(0);
  });

  test('a stale owner’s number that another process has by now harms nobody', async () => {
    const first = start(data);
    await first.address();
    await first.end();
    const bystander = spawn('sleep', ['600'], isRoot() ? { uid: Number(run('id', ['-u', 'postgres'])) } : {});
    const cluster = clusterOf(data) ?? '';
    const file = join(cluster, 'postmaster.pid');
    writeFileSync(file, `${bystander.pid}\n${cluster}\n1\n54320\n\n127.0.0.1\n 1 1\nready\n`);
    if (isRoot()) run('chown', ['postgres:', file]);
    await start(data).address();
    expect(bystander.exitCode ?? bystander.signalCode).toBeNull();
    bystander.kill();
  });

  test('killed outright, it leaves nothing behind, and the next one starts', async () => {
    const port = await freeNumber();
    const first = start(data, { port });
    const address = await first.address();
    await first.end('SIGKILL');
    expect(await until(() => databasesIn(data) === 0, 20_000)).toBe(true);
    expect(await answers(address)).toBe(false);
    expect(await start(data, { port }).address()).toBe(address);
  });

  test('killed together with its guard, the next start stops what is left', async () => {
    const first = start(data);
    await first.address();
    process.kill(childOf(first, 'echo held'), 'SIGKILL');
    await first.end('SIGKILL');
    expect(databasesIn(data)).toBeGreaterThan(0);
    const second = start(data);
    await second.address();
    await ask('select 1');
    expect(await second.end()).toBe(0);
    expect(databasesIn(data)).toBe(0);
  });
});

describe('kept running', () => {
  test('server and database are started again when they die; a signal ends all with code 0', async () => {
    const port = await freeNumber();
    const first = start(data, { port });
    const address = await first.address();
    process.kill(childOf(first, 'server/dist/main.js'), 'SIGKILL');
    await first.says(/The server ended \(signal SIGKILL\)\. It is started again in 0\.5 s/);
    expect(await until(() => answers(address), 30_000)).toBe(true);
    const postmaster = childOf(first, 'postgres -D');
    process.kill(postmaster, 'SIGQUIT');
    await first.says(/The database ended \(.*\)\. It is started again/);
    expect(await until(() => ask('select 1').then(Boolean, () => false), 30_000)).toBe(true);
    expect(await until(async () => (await fetch(`${address}/api/session`)).status !== 503, 30_000)).toBe(
      true,
    );
    process.kill(childOf(first, 'echo held'), 'SIGKILL');
    expect(await until(() => hasChild(first, 'echo held'), 10_000)).toBe(true);
    expect(await first.end('SIGINT')).toBe(0);
    expect(processesIn(clusterOf(data) ?? '')).toEqual([]);
    expect(await answers(address)).toBe(false);
    expect(readFileSync(join(data, 'logs/judoka.log'), 'utf8')).toMatch(/The server ended/);
  });

  test('what cannot go on ends with code 1 and its reason', async () => {
    const first = start(data);
    await first.address();
    await ask("insert into migrations (name, run_on) values ('9999_from_later', now())");
    await first.end();
    const second = start(data);
    expect(await second.ended).toBe(1);
    expect(second.output).toMatch(
      /A newer version of Judoka has worked on this database \(step “9999_from_later”\)/,
    );
    expect(databasesIn(data)).toBe(0);
    const third = start(data, { env: { JUDOKA_LOCAL_ACCOUNT: 'perhaps' } });
    expect(await third.ended).toBe(1);
    expect(third.output).toMatch(/The setting JUDOKA_LOCAL_ACCOUNT is not valid/);
  });
});
