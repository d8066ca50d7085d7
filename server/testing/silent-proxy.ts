/** A way to a TCP port that can fall silent: it forwards nothing more, and closes nothing. */
import { once } from 'node:events';
import { connect, createServer, type AddressInfo, type Socket } from 'node:net';

export interface SilentProxy {
  readonly port: number;
  /** From now on nothing is forwarded. Connections that are open now stay open, and dead for good. */
  silence(): void;
  /** New connections are forwarded again; those from before, or made meanwhile, stay dead. */
  speak(): void;
  close(): void;
}

/** @param to the port on loopback that it leads to */
export async function silentProxy(to: number): Promise<SilentProxy> {
  const sockets = new Set<Socket>();
  let silent = false;
  /** Grows with each silence: a connection of another time than now is dead. */
  let time = 0;
  const server = createServer((client) => {
    sockets.add(client.on('error', () => {}));
    client.on('close', () => sockets.delete(client));
    if (silent) return void client.resume();
    const born = time;
    const dead = () => silent || born !== time;
    const behind = connect(to, '127.0.0.1');
    for (const [from, far] of [
      [client, behind],
      [behind, client],
    ] as const) {
      sockets.add(from.on('error', () => {}));
      from.on('data', (data) => {
        if (!dead()) far.write(data);
      });
      from.on('end', () => {
        if (!dead()) far.end();
      });
      from.on('close', () => {
        sockets.delete(from);
        if (!dead()) far.destroy();
      });
    }
  });
  server.listen(0, '127.0.0.1');
  await once(server, 'listening');
  return {
    port: (server.address() as AddressInfo).port,
    silence() {
      silent = true;
      time++;
    },
    speak() {
      silent = false;
      time++;
    },
    close() {
      for (const each of sockets) each.destroy();
      server.close();
    },
  };
}
