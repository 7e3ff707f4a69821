import { z } from 'zod';

const environment = z.object({
  DATABASE_URL: z.string().min(1),
  PORT: z.coerce.number().int().min(0).max(65535).default(4600),
  JUDOKA_DATA: z.string().default('data'),
  /** "1": an address with a key for the person at this machine is printed at each start. */
  JUDOKA_LOCAL_ACCOUNT: z.enum(['0', '1']).default('0'),
  /** "0": do not load the demo characters into a new local account. */
  /** Where others reach this place, as it stands in their browsers; without one, only this machine does. */
  JUDOKA_ADDRESS: z
    .url({ protocol: /^https?$/ })
    .transform((text) => new URL(text))
    .refine(({ pathname, search }) => pathname === '/' && search === '', 'it should end with the host')
    .optional(),
  /** The network address that is listened on. */
  JUDOKA_LISTEN: z.string().default('127.0.0.1'),
  /** How many proxies of one's own stand before it, each adding to X-Forwarded-For. */
  JUDOKA_PROXIES: z.coerce.number().int().min(0).max(9).default(0),
  /** What whoever collects the figures sends as a bearer token; without one only this machine may. */
  JUDOKA_METRICS_TOKEN: z.string().min(16).optional(),
  /** Imports done in this server at a time; 0 where workers of their own do them. */
  JUDOKA_WORKERS: z.coerce.number().int().min(0).max(64).default(2),
  JUDOKA_DEMO: z.enum(['0', '1']).default('1'),
});

/** What starting again would not mend: settings that cannot be, a database of a newer version. */
export class ConfigError extends Error {}

export interface Config {
  readonly databaseUrl: string;
  readonly port: number;
  readonly dataFolder: string;
  readonly address: URL | undefined;
  readonly listen: string;
  readonly proxies: number;
  readonly workers: number;
  readonly metricsToken: string | undefined;
  readonly localAccount: boolean;
  readonly demo: boolean;
}

/** @throws ConfigError with the setting's name */
export function readConfig(env: NodeJS.ProcessEnv): Config {
  const read = environment.safeParse(env);
  if (!read.success) {
    const [{ path, message }] = read.error.issues;
    throw new ConfigError(`The setting ${path.join('.')} is not valid: ${message}.`);
  }
  const values = read.data;
  return {
    databaseUrl: values.DATABASE_URL,
    port: values.PORT,
    dataFolder: values.JUDOKA_DATA,
    address: values.JUDOKA_ADDRESS,
    listen: values.JUDOKA_LISTEN,
    proxies: values.JUDOKA_PROXIES,
    workers: values.JUDOKA_WORKERS,
    metricsToken: values.JUDOKA_METRICS_TOKEN,
    localAccount: values.JUDOKA_LOCAL_ACCOUNT === '1',
    demo: values.JUDOKA_DEMO === '1',
  };
}
