/** `vondle forward`: carries the links of a database, without a server. */
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { CouldNotRun, ROOT } from './files.ts';

interface Builds {
  build(): Promise<void>;
}
interface Forwarder {
  forward(environment: NodeJS.ProcessEnv): { close(): Promise<void> };
}

/** Carries links until told to stop. @throws CouldNotRun where what it has to be told is missing */
export async function forward(): Promise<void> {
  const load = <T>(path: string) => import(pathToFileURL(join(ROOT, path)).href) as Promise<T>;
  await (await load<Builds>('tools/setup/build.mjs')).build();
  const forwarder = await load<Forwarder>('server/dist/forward.mjs');
  let running: { close(): Promise<void> };
  try {
    running = forwarder.forward(process.env);
  } catch (error) {
    throw new CouldNotRun((error as Error).message);
  }
  process.stderr.write(
    'Links of this database are carried here, where no other process carries them. Ctrl-C ends it.\n',
  );
  await new Promise<void>((done) => {
    for (const signal of ['SIGINT', 'SIGTERM'] as const) process.once(signal, () => done());
  });
  await running.close();
  process.exit(0);
}
