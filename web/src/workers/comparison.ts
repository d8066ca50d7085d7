/** Two states of a topology compared whole. Loaded once somebody compares. */
import {
  changesOf,
  compareTopologies,
  declaredText,
  publishPairs,
  type DeclaredChange,
} from '@vondle/core/analysis';
import type { TextDocument } from '@vondle/core/base';
import { outcomeText, routeData, changeText } from '@vondle/core/formats/classes';
import { comparisonMarkdown, countsOf } from '@vondle/core/formats/comparison';
import { buildGraph } from '@vondle/core/routing';
import { readTopology } from '@vondle/core/topology';
import { between } from './all-messages.ts';
import type { ComparedView, DeclaredView, RouteView } from './views.ts';

/** No more of each is told. */
const MOST = 500;

/**
 * @param environment in which both are looked at; '' for in none
 * @param names what each is called, in words: `r3`, `the draft`
 */
export async function compared(
  before: readonly TextDocument[],
  after: readonly TextDocument[],
  environment: string,
  names: { readonly from: string; readonly to: string },
): Promise<ComparedView> {
  const read = (documents: readonly TextDocument[]) => {
    const plain = readTopology(documents);
    return environment && plain.declared.environments?.has(environment)
      ? readTopology(documents, { environment })
      : plain;
  };
  const [was, is] = [read(before), read(after)];
  const found = compareTopologies(was, is);
  const { messages, more } = await between(before, after);
  const markdown = comparisonMarkdown({ ...found, ...names, messages });
  return {
    counts: countsOf(found.declared),
    declared: found.declared.slice(0, MOST).map(declaredView),
    access: found.access?.slice(0, MOST).map((each) => ({ ...each, on: [...each.on] })),
    findings: found.findings.slice(0, MOST).map((each) => ({ ...each })),
    promises: found.promises.map((each) => ({ ...each })),
    messages,
    more: more + Math.max(0, found.declared.length - MOST) + Math.max(0, (found.access?.length ?? 0) - MOST),
    markdown,
  };
}

const declaredView = (change: DeclaredChange): DeclaredView => ({
  kind: change.kind,
  what: change.what,
  name: change.name,
  was: change.was,
  id: change.of?.id,
  text: declaredText(change),
  settings: change.settings.map((each) => ({ ...each })),
  tenants: [...change.tenants],
  documents: [...change.documents],
});

/** What becomes of each group of messages before and after, side by side; those that are too many are left out. */
export async function routesBetween(
  before: readonly TextDocument[],
  after: readonly TextDocument[],
): Promise<RouteView[]> {
  const [was, is] = [buildGraph(readTopology(before)), buildGraph(readTopology(after))];
  const views: RouteView[] = [];
  for (const pair of publishPairs(was, is)) {
    try {
      for (const change of changesOf(was, is, pair)) {
        const data = routeData(change);
        views.push({
          message: data.message,
          from: data.from,
          to: data.to,
          when: data.when,
          share: data.share ? `${data.share.messages} of ${data.share.of}` : '',
          what: changeText(data.before, data.after),
          before: data.before ? outcomeText(data.before) : 'not published',
          after: data.after ? outcomeText(data.after) : 'not published',
        });
      }
    } catch {
      // too many classes: its sentence says so
    }
    if (views.length >= MOST) break;
    await new Promise((go) => setTimeout(go));
  }
  return views.slice(0, MOST);
}
