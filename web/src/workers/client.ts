import * as Comlink from 'comlink';
import type { CoreWorker } from './core.worker.ts';

/** The worker's functions, called from the main thread. One worker for the page's life. */
export const core = Comlink.wrap<CoreWorker>(
  new Worker(new URL('./core.worker.ts', import.meta.url), { type: 'module', name: 'vondle core' }),
);
