/** A small OpenID Connect issuer for tests: it lets everybody in as whom the test says. */
import { createHash, createSign, generateKeyPairSync, randomBytes } from 'node:crypto';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';

/** What an issuer does wrong, for a client to notice. */
export type Wrong = 'nonce' | 'signature' | 'audience' | 'expired' | 'issuer' | 'no id token' | 'refuses';

const base64 = (value: unknown) => Buffer.from(JSON.stringify(value)).toString('base64url');

export class Issuer {
  /** Who signs in next. */
  claims: Record<string, unknown> = { sub: '1', preferred_username: 'Nils', name: 'Nils Aaby' };
  wrong: Wrong | undefined;
  private readonly keys = generateKeyPairSync('rsa', { modulusLength: 2048 });
  private readonly others = generateKeyPairSync('rsa', { modulusLength: 2048 });
  private readonly codes = new Map<string, URLSearchParams>();
  private readonly server: Server;

  constructor(
    readonly clientId: string,
    readonly clientSecret: string,
  ) {
    this.server = createServer((request, response) => {
      const url = new URL(request.url!, this.url);
      const json = (data: unknown, status = 200) =>
        response.writeHead(status, { 'content-type': 'application/json' }).end(JSON.stringify(data));
      if (url.pathname === '/.well-known/openid-configuration')
        return json({
          issuer: this.url,
          authorization_endpoint: `${this.url}/authorize`,
          token_endpoint: `${this.url}/token`,
          jwks_uri: `${this.url}/keys`,
          response_types_supported: ['code'],
          subject_types_supported: ['public'],
          id_token_signing_alg_values_supported: ['RS256'],
          code_challenge_methods_supported: ['S256'],
        });
      if (url.pathname === '/keys')
        return json({
          keys: [{ ...this.keys.publicKey.export({ format: 'jwk' }), kid: 'k', alg: 'RS256', use: 'sig' }],
        });
      if (url.pathname === '/authorize') {
        const code = randomBytes(12).toString('hex');
        this.codes.set(code, url.searchParams);
        const back = new URL(url.searchParams.get('redirect_uri')!);
        const state = url.searchParams.get('state')!;
        back.search = new URLSearchParams(
          this.wrong === 'refuses' ? { error: 'access_denied', state } : { code, state },
        ).toString();
        return response.writeHead(302, { location: back.href }).end();
      }
      let text = '';
      request.on('data', (part) => (text += String(part)));
      request.on('end', () => {
        const form = new URLSearchParams(text);
        const asked = this.codes.get(form.get('code') ?? '');
        this.codes.delete(form.get('code') ?? '');
        const challenge = createHash('sha256')
          .update(form.get('code_verifier') ?? '')
          .digest('base64url');
        const known =
          form.get('client_id') === this.clientId && form.get('client_secret') === this.clientSecret;
        if (!asked || !known || asked.get('code_challenge') !== challenge)
          return json({ error: 'invalid_grant' }, 400);
        json({
          access_token: 'x',
          token_type: 'bearer',
          ...(this.wrong === 'no id token' ? {} : { id_token: this.word(asked.get('nonce')!) }),
        });
      });
    });
  }

  private word(nonce: string): string {
    const now = Math.floor(Date.now() / 1000);
    const said = `${base64({ alg: 'RS256', kid: 'k' })}.${base64({
      iss: this.wrong === 'issuer' ? 'http://127.0.0.1:1' : this.url,
      aud: this.wrong === 'audience' ? 'another' : this.clientId,
      iat: now,
      exp: this.wrong === 'expired' ? now - 3600 : now + 300,
      nonce: this.wrong === 'nonce' ? 'another' : nonce,
      ...this.claims,
    })}`;
    const { privateKey } = this.wrong === 'signature' ? this.others : this.keys;
    return `${said}.${createSign('RSA-SHA256').update(said).sign(privateKey, 'base64url')}`;
  }

  get url(): string {
    return `http://127.0.0.1:${(this.server.address() as AddressInfo).port}`;
  }
  async listen(): Promise<void> {
    await new Promise<void>((done) => this.server.listen(0, '127.0.0.1', done));
  }
  close(): Promise<unknown> {
    this.server.closeAllConnections();
    return new Promise((done) => this.server.close(done));
  }
}
