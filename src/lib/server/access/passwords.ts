import { randomBytes, scrypt, timingSafeEqual, type ScryptOptions } from 'node:crypto';

/** Parameters of scrypt: N = 2^17, r = 8, p = 1. Source: OWASP Password Storage Cheat Sheet. Each takes 128 MiB while it is computed. */
const cost = { log2: 17, block: 8, lanes: 1 };
const length = 32;

const options = ({ log2, block, lanes }: typeof cost): ScryptOptions => ({
  N: 2 ** log2,
  r: block,
  p: lanes,
  maxmem: 192 * 2 ** log2 * block
});

let before: Promise<unknown> = Promise.resolve();
/** One at a time: many at once would take the memory of the machine. */
function derive(password: string, salt: Buffer, by: typeof cost): Promise<Buffer> {
  const mine = before.then(
    () =>
      new Promise<Buffer>((resolve, reject) =>
        scrypt(password.normalize('NFKC'), salt, length, options(by), (error, key) => (error ? reject(error) : resolve(key)))
      )
  );
  before = mine.catch(() => undefined);
  return mine;
}

/** A password as it is kept: parameters, salt and hash. */
export async function hashPassword(password: string): Promise<string> {
  const salt = randomBytes(16);
  const key = await derive(password, salt, cost);
  return ['scrypt', cost.log2, cost.block, cost.lanes, salt.toString('base64url'), key.toString('base64url')].join('$');
}

/** For names that nobody has: it takes as long to say no. */
const nobody = [
  'scrypt',
  cost.log2,
  cost.block,
  cost.lanes,
  randomBytes(16).toString('base64url'),
  randomBytes(length).toString('base64url')
].join('$');

/** Whether a password is the one that was kept; without one it is no, after the same time. */
export async function passwordHolds(password: string, kept: string | undefined): Promise<boolean> {
  const [kind, log2, block, lanes, salt = '', key = ''] = (kept ?? nobody).split('$');
  if (kind !== 'scrypt') return false;
  const by = { log2: Number(log2), block: Number(block), lanes: Number(lanes) };
  const right = Buffer.from(key, 'base64url');
  const found = await derive(password, Buffer.from(salt, 'base64url'), by);
  return timingSafeEqual(found, right) && kept !== undefined;
}

const least = 12;
const most = 256;

/** What is wrong with a new password, if anything. Source: OWASP ASVS 5.0, 6.2: length and no rules of composition; not the name; not one thing over and over. */
export function passwordFault(password: string, name: string): string | undefined {
  const characters = [...password];
  if (characters.length < least) return `has fewer than ${least} characters`;
  if (characters.length > most) return `has more than ${most} characters`;
  const plain = password.toLowerCase();
  if (name && plain.includes(name.toLowerCase())) return 'holds the name of the account';
  if (/root[ -]?barn|password|passwort/.test(plain)) return 'holds a word that is tried first';
  if (new Set(characters).size < 5) return 'has fewer than 5 different characters';
  const steps = characters.slice(1).map((one, i) => one.codePointAt(0)! - characters[i]!.codePointAt(0)!);
  return steps.every((step) => step === steps[0]) ? 'is a mere sequence' : undefined;
}
