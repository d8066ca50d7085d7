/** A way to an AMQP 0-9-1 broker on which one method of clients never arrives; all else does, heartbeats too. */
import { once } from 'node:events';
import { connect, createServer, type AddressInfo, type Socket } from 'node:net';

/**
 * @param to the port on loopback that it leads to
 * @param unheard the class and the method that is dropped (AMQP 0-9-1 §2.3.5, frames)
 */
export async function deafBroker(
  to: number,
  unheard: { readonly class: number; readonly method: number },
): Promise<{ port: number; close(): void }> {
  const sockets = new Set<Socket>();
  const server = createServer((client) => {
    const behind = connect(to, '127.0.0.1');
    for (const each of [client, behind]) sockets.add(each.on('error', () => {}));
    behind.pipe(client);
    client.on('close', () => behind.destroy());
    let rest = Buffer.alloc(0);
    let greeted = false;
    client.on('data', (data) => {
      rest = Buffer.concat([rest, data]);
      if (!greeted && rest.length >= 8) {
        behind.write(rest.subarray(0, 8));
        rest = rest.subarray(8);
        greeted = true;
      }
      // type, channel, size, as much payload, and an octet that ends it
      while (greeted && rest.length >= 7 && rest.length >= rest.readUInt32BE(3) + 8) {
        const frame = rest.subarray(0, rest.readUInt32BE(3) + 8);
        rest = rest.subarray(frame.length);
        const isMethod = frame[0] === 1;
        if (!(
          isMethod &&
          frame.readUInt16BE(7) === unheard.class &&
          frame.readUInt16BE(9) === unheard.method
        ))
          behind.write(frame);
      }
    });
  });
  server.listen(0, '127.0.0.1');
  await once(server, 'listening');
  return {
    port: (server.address() as AddressInfo).port,
    close() {
      for (const each of sockets) each.destroy();
      server.close();
    },
  };
}
