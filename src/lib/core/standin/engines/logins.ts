import type { AskObject, Facts } from '../../model';
import { loginOf } from './options';

type Options = Readonly<Record<string, string>>;

/** How a program lets clients in, by its settings: tokens of an outside provider, a password, or anybody. */
export const lockOf = (options: Options): 'tokens' | 'password' | 'none' =>
  options.OIDC_ISSUER ? 'tokens' : loginOf(options) === undefined ? 'none' : 'password';

/**
 * Why a provider gives no token that a program takes; undefined where it does. The issuer's name must be the same letter by letter, and
 * the program one of its audiences. Source: OpenID Connect Core 1.0, 3.1.3.7 (2 and 3).
 */
export function tokenFault(facts: Facts, { OIDC_ISSUER: issuer, OIDC_AUDIENCE: audience = '' }: Options): string | undefined {
  const found = facts.list('LoginProvider').find((one) => one.spec.issuer === issuer);
  if (!found) return `no identity provider has the issuer ${issuer}`;
  if (!found.spec.reachable) return `the identity provider ${found.metadata.name} can't be reached`;
  return found.spec.audiences.includes(audience) ? undefined : `${found.metadata.name} gives no tokens for the audience "${audience}"`;
}

/** Why a client isn't let in; undefined when it is. */
export function loginFault(facts: Facts, options: Options, login: AskObject['spec']['login']): string | undefined {
  switch (lockOf(options)) {
    case 'tokens':
      return (
        tokenFault(facts, options) ?? { right: undefined, wrong: 'the token is for another audience', none: 'no token was shown' }[login]
      );
    case 'password':
      return { right: undefined, wrong: 'the password is wrong', none: 'no password was shown' }[login];
    case 'none':
      return undefined;
  }
}
