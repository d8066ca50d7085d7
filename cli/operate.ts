/** `vondle watch`, `drift`, `browse`, `send`, `empty` and `move`: what stands in an environment, from a terminal. */
import { existsSync, mkdirSync, readdirSync, writeFileSync } from 'node:fs';
import { basename, join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import type { DriftSeen, LookSeen, MessageSeen, OperationEntry } from '@vondle/api';
import { CouldNotRun } from './files.ts';
import { Progress } from './progress.ts';
import { ask } from './remote.ts';
import { topologyOf } from './rollout.ts';

type Format = 'text' | 'json';
interface Options {
  environment: string;
  format: Format;
}

const AGAIN_MS = 3000;
const HOW_FAR_MS = 500;

const print = (text: string) => void process.stdout.write(`${text}\n`);
const where = (of: string, what: string, { environment }: Options): string =>
  `${encodeURIComponent(topologyOf(of))}/${what}/${encodeURIComponent(environment)}`;

/** Parts of `broker/store`. @throws CouldNotRun */
function storeOf(address: string): { broker: string; store: string } {
  const slash = address.indexOf('/');
  if (slash < 1 || slash === address.length - 1)
    throw new CouldNotRun(`${address} is no store: write it as broker/name, by its name on the broker`);
  return { broker: address.slice(0, slash), store: address.slice(slash + 1) };
}

/** @returns rows as columns of equal width, numbers to the right */
function columns(head: readonly string[], rows: readonly (readonly (string | number)[])[]): string[] {
  const all = [head, ...rows.map((row) => row.map((each) => String(each)))];
  const widths = head.map((_, i) => Math.max(...all.map((row) => row[i]!.length)));
  return all.map((row) =>
    row
      .map((each, i) => (i === 0 ? each.padEnd(widths[i]!) : each.padStart(widths[i]!)))
      .join('  ')
      .trimEnd(),
  );
}

const rate = (value: number | null): string => (value === null ? '' : value.toFixed(1));

/** Prints how an environment stands, once or again and again; exit 1 where something contradicts the topology, or an alert is off. */
export async function watch(of: string, options: Options & { once?: boolean }): Promise<void> {
  for (;;) {
    const { data } = await ask<LookSeen>('GET', where(of, 'watch', options));
    if (options.format === 'json') print(JSON.stringify(data));
    else {
      print(`${options.environment}, as of ${data.at}`);
      for (const each of data.alerts)
        if (each.off) print(`  alert: ${each.rule}: ${each.words}, since ${each.since}`);
      for (const each of data.said) print(`  ${each.kind}: ${each.words}`);
      const rows = data.stores.map((each) => [
        `${each.broker}/${each.name}`,
        each.waiting,
        each.inHand,
        each.delayed,
        each.takers.length,
        rate(each.comes),
        rate(each.goes),
      ]);
      for (const line of columns(
        ['store', 'waiting', 'in hand', 'delayed', 'takers', 'come/s', 'settled/s'],
        rows,
      ))
        print(`  ${line}`);
    }
    if (options.once) {
      process.exitCode = data.said.length || data.alerts.some(({ off }) => off) ? 1 : 0;
      return;
    }
    await pause(AGAIN_MS);
  }
}

/** Prints how what the brokers have differs from what was applied; exit 1 where it does, 2 where one could not be read. */
export async function drift(of: string, options: Options): Promise<void> {
  const { data } = await ask<DriftSeen>('POST', `${where(of, 'watch', options)}/drift`);
  if (options.format === 'json') print(JSON.stringify(data));
  else {
    for (const { broker, kind, what, putBack } of data.differences)
      print(`${broker}: ${kind}: ${what}${putBack === null ? ' (stays)' : ''}`);
    if (data.more) print(`${data.more} more are not told.`);
    if (data.differences.length === 0 && data.away.length === 0) print('All is as it was applied.');
    for (const { broker, why } of data.away) process.stderr.write(`${broker} could not be read: ${why}\n`);
  }
  // what nobody applied, and stays, is no drift that could be put back
  const drifted = data.differences.some(({ putBack }) => putBack !== null);
  process.exitCode = data.away.length ? 2 : drifted ? 1 : 0;
}

/** Writes what a connected broker has as documents into a folder that has none. @throws CouldNotRun */
export async function adopt(
  of: string,
  broker: string,
  folder: string,
  { environment, rights, sample }: { environment: string; rights?: boolean; sample?: number },
): Promise<void> {
  if (existsSync(folder) && readdirSync(folder).length)
    throw new CouldNotRun(`${folder} has something in it; name a folder that is empty or not there`);
  const path = encodeURIComponent(topologyOf(of));
  const targets = (await ask<{ id: number; environment: string; broker: string }[]>('GET', `${path}/targets`))
    .data;
  const target = targets.find((each) => each.environment === environment && each.broker === broker);
  if (!target) throw new CouldNotRun(`${broker} is not connected in ${environment}`);
  const { data } = await ask<{
    documents: { name: string; text: string }[];
    unsaid: string[];
  }>('POST', `${path}/targets/${target.id}/taken-in`, {
    ...(rights ? { rights } : {}),
    ...(sample === undefined ? {} : { sample }),
  });
  mkdirSync(folder, { recursive: true });
  for (const { name, text } of data.documents) {
    // what comes over the network names no place but this folder
    const file = join(folder, basename(name));
    writeFileSync(file, text);
    print(file);
  }
  for (const words of data.unsaid) process.stderr.write(`${words}\n`);
}

/** Prints the oldest messages of a store; none is taken. */
export async function browse(
  of: string,
  address: string,
  options: Options & { most: number },
): Promise<void> {
  const { broker, store } = storeOf(address);
  const asked = new URLSearchParams({ broker, store, most: String(options.most) });
  const { data } = await ask<{ messages: MessageSeen[]; waiting: number; said: string }>(
    'GET',
    `${where(of, 'messages', options)}?${asked}`,
  );
  if (options.format === 'json') return print(JSON.stringify(data));
  for (const each of data.messages) {
    const is = each.types.find(({ remarks }) => remarks.length === 0);
    print(`${each.place}. ${is?.type ?? 'of no declared type'}${each.key ? `, key ${each.key}` : ''}`);
    for (const { why, at } of each.deaths) print(`   given up in ${at}: ${why}`);
    for (const [name, value] of Object.entries({ ...each.properties, ...each.headers }))
      if (name !== 'x-death')
        print(`   ${name}: ${typeof value === 'string' ? value : JSON.stringify(value)}`);
    if (each.body.hidden) print(`   (${each.body.hidden})`);
    else if (each.body.as !== 'nothing')
      print(`   ${each.body.as === 'json' ? JSON.stringify(each.body.value) : String(each.body.value)}`);
  }
  process.stderr.write(`${data.messages.length} of ${data.waiting}. ${data.said}\n`);
}

/** Sends a message as an app; exit 1 where it was not taken, or no store wanted it. */
export async function send(
  of: string,
  options: Options & {
    as: string;
    message: string;
    to: string;
    mqtt?: boolean;
    key?: string;
    header?: readonly string[];
    body?: string;
  },
): Promise<void> {
  const json = (text: string): unknown => {
    try {
      return JSON.parse(text);
    } catch {
      return text;
    }
  };
  const headers = (options.header ?? []).map((each): [string, unknown] => {
    const at = each.indexOf('=');
    if (at < 1) throw new CouldNotRun(`${each} is no header: write it as name=value`);
    return [each.slice(0, at), json(each.slice(at + 1))];
  });
  const sample = {
    ...(options.key === undefined ? {} : { key: options.key }),
    ...(headers.length ? { headers: Object.fromEntries(headers) } : {}),
    ...(options.body === undefined ? {} : { body: json(options.body) }),
  };
  const { data } = await ask<{
    returned: boolean | null;
    refused: string | null;
    remarks: string[];
    predicted: string[];
  }>('POST', `${where(of, 'messages', options)}/send`, {
    app: options.as,
    message: options.message,
    to: options.to,
    via: options.mqtt ? 'mqtt' : 'amqp',
    sample,
  });
  if (options.format === 'json') print(JSON.stringify(data));
  else {
    for (const remark of data.remarks) process.stderr.write(`${remark}\n`);
    if (data.refused !== null) print(`It was not taken: ${data.refused}`);
    else if (data.returned) print('It was taken, and no store wanted it.');
    else print(`It was taken; by the trace it comes to ${data.predicted.join(', ') || 'no store'}.`);
  }
  process.exitCode = data.refused !== null || data.returned ? 1 : 0;
}

export interface OperateOptions extends Options {
  agreed?: number;
  where?: string;
  copy?: boolean;
}

/** Destroys messages of a store, as many as are agreed to; exit 0 when they are. */
export const empty = (of: string, address: string, options: OperateOptions): Promise<void> =>
  operate(of, address, 'empty', undefined, options);

/** Moves or copies messages to another store, or dead letters back to where they died. */
export const move = (
  of: string,
  address: string,
  to: string | undefined,
  options: OperateOptions,
): Promise<void> => operate(of, address, options.copy ? 'copy' : 'move', to, options);

/** @returns where messages go: a store of the same broker, or of another where what is named begins with one */
async function goalOf(
  to: string,
  broker: string,
  of: string,
  options: Options,
): Promise<{ to: string; toBroker?: string }> {
  const slash = to.indexOf('/');
  if (slash < 1) return { to };
  const [first, rest] = [to.slice(0, slash), to.slice(slash + 1)];
  if (first === broker) return { to: rest };
  const { data } = await ask<LookSeen>('GET', where(of, 'watch', options));
  return data.brokers.some((each) => each.broker === first) ? { to: rest, toBroker: first } : { to };
}

async function operate(
  of: string,
  address: string,
  what: 'empty' | 'move' | 'copy',
  to: string | undefined,
  options: OperateOptions,
): Promise<void> {
  const { broker, store } = storeOf(address);
  if (options.agreed === undefined) {
    const { data } = await ask<LookSeen>('GET', where(of, 'watch', options));
    const own = data.stores.find((each) => each.broker === broker && each.name === store);
    throw new CouldNotRun(
      `${own ? `${own.waiting} wait in ${address} now; ` : ''}say how many may be ${what === 'empty' ? 'destroyed' : what === 'move' ? 'moved' : 'copied'} with --agreed`,
    );
  }
  const goal = to === undefined ? undefined : await goalOf(to, broker, of, options);
  const path = `${where(of, 'messages', options)}/operations`;
  const begun = await ask<{ id: number }>('POST', path, {
    what,
    broker,
    store,
    agreed: options.agreed,
    ...goal,
    ...(options.where === undefined ? {} : { where: options.where }),
  });
  const progress = new Progress();
  const stop = () => void ask('POST', `${path}/${begun.data.id}/stop`).catch(() => {});
  process.once('SIGINT', stop);
  for (;;) {
    const own = (await ask<OperationEntry[]>('GET', path)).data.find(({ id }) => id === begun.data.id)!;
    if (own.state !== 'running') {
      progress.end();
      process.off('SIGINT', stop);
      if (options.format === 'json') print(JSON.stringify(own));
      else {
        const done = { empty: 'destroyed', move: 'moved', copy: 'copied' }[what];
        print(`${own.done} ${done}, of ${own.looked} looked at${own.error ? `; ${own.error}` : ''}.`);
      }
      process.exitCode = own.state === 'done' ? 0 : 1;
      return;
    }
    progress.say(`${own.done} of ${own.agreed}`);
    await pause(HOW_FAR_MS);
  }
}
