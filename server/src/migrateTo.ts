// Brings the database of DATABASE_URL up to date: a backup of an earlier version, before it takes the place of another.
import { migrate } from './database.ts';

await migrate(process.env.DATABASE_URL ?? '');
