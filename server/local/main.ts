/** Serves a folder until told to stop; started by the command line. */
import { randomBytes } from 'node:crypto';
import type { Server } from 'node:http';
import { serve } from '@hono/node-server';
import { localApp } from './app.ts';
import { Folder } from './folder.ts';

/**
 * Opens a folder on loopback.
 * @param port 0 for any that is free
 * @returns the address to open, with its key, once it is served
 * @throws Error where there is no such folder, or the port is taken
 */
export function serveFolder(
  path: string,
  port: number,
  web: string,
): Promise<{ address: string; close: () => void }> {
  const folder = new Folder(path);
  folder.read();
  const key = randomBytes(24).toString('base64url');
  return new Promise((done, fail) => {
    const hosts: string[] = [];
    const server = serve(
      { fetch: localApp(folder, key, hosts, web).fetch, hostname: '127.0.0.1', port },
      (at) => {
        hosts.push(`127.0.0.1:${at.port}`, `localhost:${at.port}`);
        done({ address: `http://127.0.0.1:${at.port}/open/${key}`, close: () => server.close() });
      },
    ) as Server;
    server.on('error', fail);
  });
}
