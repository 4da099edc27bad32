import { isIP } from 'node:net';
import { z } from 'zod';

/** A size in bytes: a number with nothing, KiB, MiB, GiB or TiB behind it. */
const size = z.string().transform((text, context) => {
  const match = /^(\d+(?:\.\d+)?)\s*(|[KMGT]iB)$/.exec(text.trim());
  const power = ['', 'KiB', 'MiB', 'GiB', 'TiB'].indexOf(match?.[2] ?? '?');
  if (match && power >= 0) return Math.floor(Number(match[1]) * 1024 ** power);
  context.addIssue({ code: 'custom', message: 'a size such as 512MiB or 20GiB is expected' });
  return z.NEVER;
});
const yes = z.enum(['yes', 'no']).transform((one) => one === 'yes');
const count = (least: number, most: number) =>
  z.string().regex(/^\d+$/, 'a whole number is expected').transform(Number).pipe(z.number().min(least).max(most));
const origin = z.string().transform((text, context) => {
  const found: URL[] = [];
  for (const one of text.split(',').map((part) => part.trim())) {
    if (!one) continue;
    const url = URL.canParse(one) ? new URL(one) : undefined;
    if (!url || !['http:', 'https:'].includes(url.protocol) || url.pathname !== '/' || url.search || url.username) {
      context.addIssue({ code: 'custom', message: `"${one.slice(0, 80)}" is no origin; write e.g. https://barn.example.org` });
      return z.NEVER;
    }
    found.push(url);
  }
  return found;
});

/** A setting: its flag, what it means, and how it is checked. The variable is ROOT_BARN_ and the flag in capitals. */
interface Setting {
  readonly says: string;
  readonly schema: z.ZodType;
  /** It is given without a value. */
  readonly bare?: true;
}
const setting = <S extends z.ZodType>(schema: S, says: string, bare?: true) => ({ schema, says, ...(bare ? { bare } : {}) });

/** All settings, by their flags. */
export const settingTable = {
  port: setting(count(0, 65535).default(4178), 'the port; 0 takes any that is free'),
  listen: setting(
    z
      .string()
      .refine((one) => isIP(one) !== 0 || one === 'localhost', 'an address such as 127.0.0.1 or 0.0.0.0 is expected')
      .default('127.0.0.1'),
    'the address to listen on; any but loopback demands sign-in'
  ),
  data: setting(z.string().min(1).default('data'), 'the folder of the database'),
  fresh: setting(yes.default(false), 'begin anew: what is in the folder is lost', true),
  empty: setting(yes.default(false), "begin without the demo's clusters", true),
  'demo-drills': setting(yes.default(false), 'try a few drills once the demo is laid down', true),
  origin: setting(origin.default([]), 'addresses under which browsers reach it, with commas between; demands sign-in'),
  'sign-in': setting(yes.default(false), 'demand sign-in on loopback too', true),
  'tls-cert': setting(z.string().optional(), 'file of the certificate chain (PEM); with --tls-key it serves over TLS'),
  'tls-key': setting(z.string().optional(), 'file of its private key (PEM)'),
  'trust-forwarded': setting(yes.default(false), 'believe X-Forwarded-For, -Proto and -Host of a proxy in front', true),
  'most-disk': setting(size.optional(), 'the most that the database may take, e.g. 20GiB'),
  'most-memory': setting(size.optional(), 'the most that worlds together may take, e.g. 2GiB'),
  'most-streams': setting(count(1, 10_000).default(24), 'event streams that one client may hold open'),
  'keep-deeds': setting(count(1, 36_500).default(365), 'days that the list of who did what is kept'),
  'backup-to': setting(z.string().optional(), 'folder for backups by schedule'),
  'backup-every': setting(count(1, 8_760).default(24), 'hours between two of them'),
  'backup-keep': setting(count(1, 1_000).default(7), 'how many of them are kept'),
  'log-level': setting(
    z.enum(['error', 'warn', 'info', 'debug']).optional(),
    'what is written to the log; info where others can reach it, else warn'
  ),
  'oidc-issuer': setting(z.url().optional(), 'issuer of an OpenID Connect provider to sign in through'),
  'oidc-client': setting(z.string().optional(), 'client id there'),
  'oidc-secret-file': setting(z.string().optional(), 'file with the client secret'),
  'oidc-role': setting(z.enum(['reader', 'engineer']).default('reader'), 'role of people who sign in there for the first time')
} as const satisfies Record<string, Setting>;

export type Flag = keyof typeof settingTable;
type Values = { [K in Flag]: z.output<(typeof settingTable)[K]['schema']> };

export interface Settings extends Values {
  /** Whether people have to sign in. */
  readonly signIn: boolean;
  readonly tls: boolean;
}

export const variableOf = (flag: string): string => `ROOT_BARN_${flag.toUpperCase().replaceAll('-', '_')}`;

/** A setting that can't be used. */
export class SettingFault extends Error {}

export const isLoopback = (address: string): boolean =>
  address === 'localhost' || address.endsWith('.localhost') || /^127\.\d+\.\d+\.\d+$/.test(address) || ['::1', '[::1]'].includes(address);

/**
 * The settings of this process, from its variables.
 * @throws SettingFault with the flag, what is wrong and what is expected
 */
export function settingsOf(variables: Readonly<Record<string, string | undefined>>): Settings {
  const found: Record<string, unknown> = {};
  for (const [flag, { schema }] of Object.entries(settingTable)) {
    const parsed = (schema as z.ZodType).safeParse(variables[variableOf(flag)]);
    if (!parsed.success) throw new SettingFault(`--${flag} ${variables[variableOf(flag)] ?? ''}: ${parsed.error.issues[0]!.message}.`);
    found[flag] = parsed.data;
  }
  const values = found as Values;
  if ((values['tls-cert'] === undefined) !== (values['tls-key'] === undefined))
    throw new SettingFault('--tls-cert and --tls-key belong together: give both, or neither.');
  if ((values['oidc-issuer'] === undefined) !== (values['oidc-client'] === undefined))
    throw new SettingFault('--oidc-issuer and --oidc-client belong together: give both, or neither.');
  const others = !isLoopback(values.listen) || values.origin.some((one) => !isLoopback(one.hostname)) || values['trust-forwarded'];
  const tls = values['tls-cert'] !== undefined || values.origin.some((one) => one.protocol === 'https:');
  return { ...values, signIn: values['sign-in'] || others, tls };
}
