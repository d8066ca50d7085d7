/** Many messages followed one after another, in pieces, so that the worker goes on answering. */
import { Batch, sendingsOf, spreadAt, type BatchRow } from '@vondle/core/analysis';
import { readMessages, understand } from '@vondle/core/formats';
import type { Message } from '@vondle/core/conditions';
import type { RoutingGraph, Sending as CoreSending } from '@vondle/core/routing';
import type { FileView, ManyRow, ManyView, Sending } from './views.ts';

interface Job {
  readonly message: Message;
  readonly sendings: readonly CoreSending[];
}

/** The worker answers other questions at least this often. */
const PIECE_MS = 30;
const TELL_MS = 120;
const MOST_PROBLEMS = 20;

export class Many {
  private file: Job[] = [];
  private batch: Batch | undefined;
  private stopping = false;
  private turn = 0;

  constructor(private readonly graph: () => RoutingGraph) {}

  /** Takes the messages of a file in. @returns how many, and what could not be understood */
  take(text: string): FileView {
    const graph = this.graph();
    const problems: FileView['problems'] = [];
    this.file = [];
    let remarks = 0;
    for (const written of readMessages(text)) {
      const found = 'error' in written ? written : understand(graph, written.data);
      if ('error' in found) {
        problems.push({ line: written.line, text: found.error });
        continue;
      }
      const sendings = found.sending ? [found.sending] : declared(graph, found.message);
      if (sendings.length) {
        this.file.push({ message: found.message, sendings });
        if (found.remarks.length) remarks++;
      } else
        problems.push({
          line: written.line,
          text: 'it says neither `to` nor a type that some app publishes',
        });
    }
    return {
      messages: this.file.length,
      problems: problems.slice(0, MOST_PROBLEMS),
      more: Math.max(0, problems.length - MOST_PROBLEMS),
      remarks,
    };
  }

  /** Follows one message, or messages spread over its type's values, this many times. */
  repeat(
    sendings: readonly Sending[],
    count: number,
    vary: boolean,
    tell: (so: ManyView) => void,
  ): Promise<ManyView> {
    const [first] = sendings;
    const ways = sendings.map(({ to, via, from }) => ({
      to,
      ...(via === 'mqtt' ? { via: 'mqtt' as const } : {}),
      ...(from ? { from: `app:${from}` } : {}),
    }));
    const type = vary ? this.graph().topology.messages.get(first?.message.type ?? '') : undefined;
    return this.run(
      first ? count : 0,
      (i) => ({ message: type ? spreadAt(type, i) : first!.message, sendings: ways }),
      tell,
    );
  }

  fromFile(tell: (so: ManyView) => void): Promise<ManyView> {
    const { file } = this;
    return this.run(file.length, (i) => file[i]!, tell);
  }

  stop(): void {
    this.stopping = true;
  }

  /** @returns some of what was followed, for a table */
  rows(from: number, to: number): ManyRow[] {
    return (this.batch?.rows.slice(from, to) ?? []).map(rowView);
  }

  async as(format: 'csv' | 'ndjson'): Promise<Blob> {
    const { batchCsv, batchNdjson } = await import('@vondle/core/formats/csv');
    const rows = this.batch?.rows ?? [];
    const lines = format === 'csv' ? batchCsv(rows) : batchNdjson(rows);
    return new Blob([...lines], { type: format === 'csv' ? 'text/csv' : 'application/x-ndjson' });
  }

  private async run(all: number, job: (i: number) => Job, tell: (so: ManyView) => void): Promise<ManyView> {
    const graph = this.graph();
    const batch = new Batch(graph);
    const turn = ++this.turn;
    this.batch = batch;
    this.stopping = false;
    let told = performance.now();
    let state: ManyView['state'] = 'done';
    for (let i = 0; i < all;) {
      const until = performance.now() + PIECE_MS;
      for (; i < all && performance.now() < until; i++) {
        const { message, sendings } = job(i);
        batch.add(message, sendings);
      }
      if (i === all) break;
      if (performance.now() - told > TELL_MS) {
        told = performance.now();
        tell(viewOf(graph, batch, all, 'running'));
      }
      await new Promise((go) => setTimeout(go));
      if (this.stopping || turn !== this.turn) state = 'stopped';
      else if (graph !== this.graph()) state = 'outrun';
      if (state !== 'done') break;
    }
    return viewOf(graph, batch, all, state);
  }
}

function declared({ topology }: RoutingGraph, { type }: Message): CoreSending[] {
  const all = type === undefined ? [] : sendingsOf(topology, type);
  return all.filter(({ from }) => from === all[0]!.from);
}

function viewOf(graph: RoutingGraph, batch: Batch, all: number, state: ManyView['state']): ManyView {
  const { messages, copies, stores, outcomes, spreads } = batch.totals;
  return {
    all,
    state,
    messages,
    copies,
    stores: [...stores]
      .map(([store, total]) => ({ store, ...total }))
      .sort((a, b) => b.copies - a.copies || a.store.localeCompare(b.store)),
    outcomes: [...outcomes].map(([outcome, count]) => ({ outcome, count })),
    spreads: [...spreads].map(([id, members]) => ({
      spread: graph.nodes.get(id)?.thing.name ?? id,
      members: [...members].map(([store, count]) => ({ store, count })),
    })),
  };
}

function rowView({ message, result }: BatchRow): ManyRow {
  return {
    type: message.type ?? '',
    key: message.key,
    headers: Object.entries(message.headers)
      .map(([name, value]) => `${name} ${String(value)}`)
      .join(', '),
    copies: result.copies,
    stores: result.rests.map(({ store, copies }) => (copies > 1 ? `${store} ×${copies}` : store)),
    ends: result.ends.map(({ outcome, at, why }) => ({ outcome, at, why })),
    message,
  };
}
