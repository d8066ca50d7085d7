/** `vondle serve`: the interface on a folder, for whoever has its files; edits go to them. */
import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { CouldNotRun, ROOT } from './files.ts';

interface Builds {
  build(): Promise<void>;
}
interface Local {
  serveFolder(path: string, port: number, web: string): Promise<{ address: string; close: () => void }>;
}

/** Serves a folder on loopback until told to stop. @throws CouldNotRun where it cannot */
export async function serve(folder: string, { port }: { port: number }): Promise<void> {
  if (!existsSync(folder)) throw new CouldNotRun(`there is no folder ${folder}`);
  const load = <T>(path: string) => import(pathToFileURL(join(ROOT, path)).href) as Promise<T>;
  await (await load<Builds>('tools/setup/build.mjs')).build();
  const { serveFolder } = await load<Local>('server/dist/local.mjs');
  try {
    const { address, close } = await serveFolder(folder, port, join(ROOT, 'web/dist'));
    process.stdout.write(`${address}\n`);
    process.stderr.write(
      `${folder} is open at this address, on this machine alone; edits go to its files. Ctrl-C ends it.\n`,
    );
    await new Promise<void>((done) => {
      for (const signal of ['SIGINT', 'SIGTERM'] as const) process.once(signal, () => done());
    });
    close();
    process.exit(0);
  } catch (error) {
    throw new CouldNotRun((error as Error).message);
  }
}
