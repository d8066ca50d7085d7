/** The stand-in put together: a publish-subscribe service that is simulated, but keeps and carries real messages. */
import type { Server } from 'node:http';
import { serve } from '@hono/node-server';
import { administration } from './admin/routes.ts';
import { Administration } from './admin/service.ts';
import { listen } from './amqp/listener.ts';
import { bringUpToDate, connect } from './db/connect.ts';
import { Intake } from './messages/intake.ts';
import { keep } from './messages/keeper.ts';
import { Spaces } from './setup/spaces.ts';

export interface Settings {
  readonly databaseUrl: string;
  readonly host: string;
  readonly amqpPort: number;
  readonly httpPort: number;
  /** The secret of the operator, who administers everything. */
  readonly secret: string;
  /** The folder of migrations. */
  readonly migrations: string;
  readonly tls?: { readonly cert: string; readonly key: string };
  readonly mostInStore?: number;
}

export interface Running {
  readonly amqpPort: number;
  readonly httpPort: number;
  close(): Promise<void>;
}

/** Starts the service. @throws where its database or an address cannot be had */
export async function start(settings: Settings): Promise<Running> {
  const connection = connect(settings.databaseUrl);
  await bringUpToDate(connection, settings.migrations);
  const spaces = new Spaces(connection);
  const intake = new Intake(connection.db, settings.mostInStore);
  const { host } = settings;
  const amqp = await listen({
    connection,
    spaces,
    intake,
    host,
    port: settings.amqpPort,
    ...(settings.tls ? { tls: settings.tls } : {}),
  });
  const app = administration(new Administration(connection, spaces, settings.secret), spaces, intake, {
    port: amqp.port,
    tls: settings.tls !== undefined,
  });
  const { server, port } = await new Promise<{ server: Server; port: number }>((done, fail) => {
    const server = serve({ fetch: app.fetch, hostname: host, port: settings.httpPort }, (info) =>
      done({ server, port: info.port }),
    ) as Server;
    server.headersTimeout = 15_000;
    server.requestTimeout = 60_000;
    server.maxConnections = 1000;
    server.on('error', fail);
  });
  const endKeeping = keep(connection, spaces);
  return {
    amqpPort: amqp.port,
    httpPort: port,
    async close() {
      server.close();
      server.closeAllConnections();
      await amqp.close();
      await endKeeping();
      await connection.pool.end();
    },
  };
}
