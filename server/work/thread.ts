/** The script of one thread: does one task after the other, on a database connection of its own. */
import { workerData } from 'node:worker_threads';
import { move, transferableSymbol, valueSymbol } from 'piscina';
import { connect } from '../db/connect.ts';
import { forTheLog, isAway } from '../db/trouble.ts';
import { Problem } from '../http/problem.ts';
import { sealer } from '../secrets.ts';
import { allowedAddresses } from '../targets/allowed.ts';
import { tasks, type Answer, type TaskName, type ThreadSettings } from './tasks.ts';

const settings = workerData as ThreadSettings;
const { db } = connect(settings.databaseUrl, 2, 0);
const all = tasks({
  db,
  sealer: sealer(settings.secret, settings.olderSecrets),
  allowed: allowedAddresses(settings.allowed),
});

export default async function work({
  name,
  input,
}: {
  name: TaskName;
  input: never;
}): Promise<Answer<unknown>> {
  try {
    const value: unknown = await all[name](input);
    const answer: Answer<unknown> = { ok: true, value };
    if (name !== 'documents') return answer;
    // bytes that only pass through move back as they came
    const { back } = value as { back: ArrayBuffer };
    return move({ [transferableSymbol]: [back], [valueSymbol]: answer } as never) as never;
  } catch (error) {
    if (error instanceof Problem) {
      const { status, title, detail, more } = error;
      return { ok: false, away: false, problem: { status, title, detail, more } };
    }
    if (isAway(error))
      return { ok: false, away: true, problem: { status: 503, title: '', detail: '', more: {} } };
    throw Object.assign(new Error(String(forTheLog(error)['message'])), { stack: (error as Error).stack });
  }
}
