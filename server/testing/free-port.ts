import { createServer, type AddressInfo } from 'node:net';

/** @returns a port of the loopback that nobody listens at. */
export function freePort(): Promise<number> {
  return new Promise((done) => {
    const server = createServer();
    server.listen(0, '127.0.0.1', () => {
      const { port } = server.address() as AddressInfo;
      server.close(() => done(port));
    });
  });
}
