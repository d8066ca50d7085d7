/** Signing in by the word of somebody else: OpenID Connect 1.0, with the authorization code and PKCE (RFC 7636). */
import * as client from 'openid-client';
import { openPerson, type Person } from './store.ts';
import type { Database } from '../db/connect.ts';
import type { Sealer } from '../secrets.ts';

export interface OpenIdSettings {
  /** The issuer, by which its configuration is found (OpenID Connect Discovery §4). */
  readonly issuer: string;
  readonly clientId: string;
  readonly clientSecret: string;
  /** What it is called for those who sign in. */
  readonly name: string;
  /** Where people reach this server. */
  readonly url: string;
}

/** What is kept in the browser, sealed, while somebody is at the issuer. */
interface Pending {
  readonly state: string;
  readonly nonce: string;
  readonly verifier: string;
  readonly then: string;
  readonly until: number;
}

/** How long somebody may take at the issuer. */
const AWAY_MS = 10 * 60_000;
const ANSWER_SECONDS = 10;
/** Where the issuer sends people back to. */
export const BACK = '/api/session/oidc/back';
const SEALED_FOR = 'openid sign-in';

/** Why somebody was not let in; the issuer's own words are for the log. */
export class NotLetIn extends Error {}

export class OpenIdConnect {
  readonly name: string;
  private configuration: Promise<client.Configuration> | undefined;

  constructor(
    private readonly settings: OpenIdSettings,
    private readonly sealer: Sealer,
  ) {
    this.name = settings.name;
  }

  /** What the issuer says of itself, asked once; what failed is asked again. */
  private configured(): Promise<client.Configuration> {
    const { issuer, clientId, clientSecret } = this.settings;
    const url = new URL(issuer);
    const loopback = ['127.0.0.1', '[::1]', 'localhost'].includes(url.hostname);
    this.configuration ??= client
      .discovery(url, clientId, clientSecret, undefined, {
        timeout: ANSWER_SECONDS,
        execute: [
          // the signature is looked at too, however the word came
          client.enableNonRepudiationChecks,
          // without TLS only to this machine itself
          ...(loopback ? [client.allowInsecureRequests] : []),
        ],
      })
      .catch((error: unknown) => {
        this.configuration = undefined;
        throw error;
      });
    return this.configuration;
  }

  /**
   * Begins signing in.
   * @param then a path of ours to come to afterwards
   * @returns where the browser has to go, and what it has to keep until it comes back
   */
  async begin(then: string): Promise<{ to: string; keep: string; until: Date }> {
    const configuration = await this.configured();
    const pending: Pending = {
      state: client.randomState(),
      nonce: client.randomNonce(),
      verifier: client.randomPKCECodeVerifier(),
      then,
      until: Date.now() + AWAY_MS,
    };
    const to = client.buildAuthorizationUrl(configuration, {
      redirect_uri: this.settings.url + BACK,
      scope: 'openid profile email',
      code_challenge: await client.calculatePKCECodeChallenge(pending.verifier),
      code_challenge_method: 'S256',
      state: pending.state,
      nonce: pending.nonce,
    });
    const keep = this.sealer.seal(JSON.stringify(pending), SEALED_FOR);
    return { to: to.href, keep, until: new Date(pending.until) };
  }

  /**
   * Ends signing in: the code is exchanged, and the issuer's word is looked at (OpenID Connect Core §3.1.3.7).
   * @param query what the browser came back with
   * @param kept what it kept
   * @returns who it is, with an account made where there was none, and where to go
   * @throws NotLetIn
   */
  async end(
    db: Database,
    query: URLSearchParams,
    kept: string | undefined,
  ): Promise<{ person: Person; then: string }> {
    const pending = this.opened(kept);
    const configuration = await this.configured();
    const came = new URL(this.settings.url + BACK);
    came.search = query.toString();
    let claims: client.IDToken | undefined;
    try {
      const tokens = await client.authorizationCodeGrant(configuration, came, {
        pkceCodeVerifier: pending.verifier,
        expectedState: pending.state,
        expectedNonce: pending.nonce,
        idTokenExpected: true,
      });
      claims = tokens.claims();
    } catch (error) {
      throw new NotLetIn((error as Error).message);
    }
    if (!claims) throw new NotLetIn('the issuer sent no word of who it is');
    const { iss: issuer, sub: subject } = claims;
    const person = await openPerson(db, { issuer, subject }, namesOf(claims));
    return { person, then: pending.then };
  }

  private opened(kept: string | undefined): Pending {
    try {
      const pending = JSON.parse(this.sealer.open(kept ?? '', SEALED_FOR)) as Pending;
      if (pending.until > Date.now()) return pending;
    } catch {
      // another secret, another browser, or nothing at all
    }
    throw new NotLetIn('this sign-in was not begun here, or too long ago');
  }
}

/** @returns a handle to be called by, if nobody else is, and a name, from what the issuer says */
export function namesOf(claims: Readonly<Record<string, unknown>>): { handle: string; name: string } {
  const said = (key: string) => (typeof claims[key] === 'string' ? (claims[key] as string) : '');
  const from = said('preferred_username') || said('email') || said('name') || 'person';
  const handle = from
    .split('@')[0]!
    .normalize('NFKD')
    .toLowerCase()
    .replace(/\p{M}/gu, '')
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^[^a-z]+|-+$/g, '')
    .slice(0, 30)
    .replace(/-+$/, '');
  // eslint-disable-next-line no-control-regex -- what is not shown is no part of a name
  const name = (said('name') || from).replace(/[\x00-\x1f\x7f]/g, ' ').trim();
  return { handle: handle || 'person', name: [...name].slice(0, 80).join('') || 'person' };
}
