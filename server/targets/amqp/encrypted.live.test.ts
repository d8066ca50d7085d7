/** Encrypted addresses (amqps): a certificate that nobody vouches for is not let by; one that somebody does is. */
import { execFile, execFileSync } from 'node:child_process';
import { once } from 'node:events';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { connect as connectTcp, type AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { createServer, type Server } from 'node:tls';
import { promisify } from 'node:util';
import { allowedAddresses } from '../allowed.ts';
import { AmqpBroker } from './broker.ts';

const run = promisify(execFile);
let folder: string;
let server: Server;
let amqps: string;

beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'vondle-tls-'));
  const [key, cert] = [join(folder, 'key.pem'), join(folder, 'cert.pem')];
  const subject = ['-subj', '/CN=localhost', '-addext', 'subjectAltName=DNS:localhost'];
  execFileSync(
    'openssl',
    ['req', '-x509', '-newkey', 'rsa:2048', '-nodes', '-days', '2', '-keyout', key, '-out', cert, ...subject],
    { stdio: 'ignore' },
  );
  const behind = new URL(String(process.env['TEST_BROKER_AMQP']));
  server = createServer({ key: readFileSync(key), cert: readFileSync(cert) }, (client) => {
    const broker = connectTcp(Number(behind.port), '127.0.0.1');
    for (const each of [client, broker]) each.on('error', () => {});
    client.pipe(broker).pipe(client);
  });
  server.on('tlsClientError', () => {});
  server.listen(0, '127.0.0.1');
  await once(server, 'listening');
  behind.protocol = 'amqps:';
  amqps = behind.href.replace(/127\.0\.0\.1:\d+/, `localhost:${(server.address() as AddressInfo).port}`);
});
afterAll(() => {
  server?.close();
  rmSync(folder, { recursive: true, force: true });
});

test('a certificate of nobody that is known is refused', async () => {
  const broker = new AmqpBroker(
    { amqp: amqps, http: String(process.env['TEST_BROKER_HTTP']) },
    allowedAddresses('loopback'),
  );
  await expect(broker.connect()).rejects.toThrow();
});

test('one of somebody whom the operator vouches for is taken', async () => {
  expect(amqps).toMatch(/^amqps:/);
  const script = `const { connect } = require('amqplib'); connect(process.env.AMQPS).then((c) => c.close()).then(() => console.log('let in'));`;
  const { stdout } = await run(process.execPath, ['-e', script], {
    env: { ...process.env, AMQPS: amqps, NODE_EXTRA_CA_CERTS: join(folder, 'cert.pem') },
  });
  expect(stdout.trim()).toBe('let in');
});
