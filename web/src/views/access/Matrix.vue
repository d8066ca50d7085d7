<script setup lang="ts">
import { ElButton, ElCheckbox } from 'element-plus';
import { computed, ref, shallowRef, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import Choice from '../../parts/Choice.vue';
import { useWorkspace } from '../../stores/workspace.ts';
import { useFocus } from '../../stores/focus.ts';
import { core } from '../../workers/client.ts';
import type { CellView } from '../../workers/views.ts';
import { showInText } from '../show.ts';
import { useFresh } from './fresh.ts';
import Said from '../../parts/Said.vue';

/** The matrix of one broker: callers down, things across, and in each cell what may be done. */
const workspace = useWorkspace();
const focus = useFocus();
const route = useRoute();
const router = useRouter();

const brokers = computed(() =>
  [
    ...new Set(
      workspace.outline.flatMap(({ items }) =>
        items.map(({ id }) => /^(?:queue|exchange|topic):([^/]+)\//.exec(id)?.[1] ?? ''),
      ),
    ),
  ].filter(Boolean),
);
const broker = computed({
  get: () => {
    const asked = String(route.query.broker ?? '');
    if (brokers.value.includes(asked)) return asked;
    // where something is missing is where one wants to look
    const missing = workspace.findings.find(({ check }) => check === 'access/missing-permission')?.about;
    const there = /:([^/]+)\//.exec(missing ?? '')?.[1];
    return there ?? brokers.value[0] ?? '';
  },
  set: (next: string) => void router.replace({ query: { ...route.query, broker: next } }),
});
const matrix = useFresh(() => core.matrix(broker.value), broker);
/** Permission that nobody needs is left out at first: a statement for a whole broker fills the page with it. */
const withUnused = ref(false);

const shown = computed(() => {
  const all = matrix.value;
  if (!all) return undefined;
  const cells = all.cells.filter(({ state }) => withUnused.value || state !== 'unused');
  const who = new Set(cells.map((each) => each.who));
  const on = new Set(cells.map((each) => each.on));
  const at = new Map<string, CellView[]>();
  for (const cell of cells) {
    const id = `${cell.who} ${cell.on}`;
    at.set(id, [...(at.get(id) ?? []), cell]);
  }
  return { who: all.who.filter(({ id }) => who.has(id)), on: all.on.filter(({ id }) => on.has(id)), at };
});

/** What the broker would need if it were controlled, once that is asked. */
const would = shallowRef<{ missing: string[] }>();
const trouble = ref('');
watch([broker, () => workspace.analysis], () => (would.value = undefined));
async function wonder() {
  would.value = await core.ifControlled(broker.value);
}
async function control() {
  const on = broker.value;
  const edited = await workspace.edit(async () => (await core.ifControlled(on)).edits);
  trouble.value = edited.ok ? '' : edited.message;
}

const picked = ref('');
const LETTERS: Record<string, string> = {
  publish: 'p',
  consume: 'c',
  browse: 'b',
  declare: 'd',
  bind: 'i',
  subscribe: 's',
};
const STATES = {
  needed: 'needed and allowed',
  missing: 'needed and refused',
  unused: 'allowed, and no way needs it',
} as const;
const cells = computed(() => shown.value?.at.get(picked.value) ?? []);
const pickedNames = computed(() => {
  const [cell] = cells.value;
  const who = matrix.value?.who.find(({ id }) => id === cell?.who);
  const on = matrix.value?.on.find(({ id }) => id === cell?.on);
  return who && on ? { who, on } : undefined;
});
const actions = computed(() => [...new Set(matrix.value?.cells.map(({ action }) => action) ?? [])]);

function say(who: string, on: string, all: readonly CellView[]): string {
  return all.map(({ action, state }) => `${who} ${action} ${on}: ${STATES[state]}`).join('; ');
}
</script>

<template>
  <div class="frame">
    <div class="sheet">
      <div class="bar">
        <Choice
          v-model="broker"
          class="soft"
          words="on"
          called="broker"
          size="small"
          :options="brokers.map((name) => ({ value: name, label: name }))"
        />
        <el-checkbox v-model="withUnused" size="small">also what is allowed and not needed</el-checkbox>
        <span v-if="matrix?.open" class="open" data-testid="open">
          <b>{{ broker }}</b> is open: everybody may do everything there, and the cells say what its ways use.
          <button class="plain link" @click="wonder">What would it need if it were controlled?</button>
        </span>
        <span class="legend soft">
          <span v-for="action in actions" :key="action"
            ><b>{{ LETTERS[action] }}</b> {{ action }}</span
          >
          <span><i class="cell needed">p</i> needed</span>
          <span><i class="cell missing">p</i> refused</span>
          <span v-if="withUnused"><i class="cell unused">p</i> not needed</span>
        </span>
      </div>
      <div v-if="would" class="would" data-testid="would">
        <p v-if="would.missing.length">
          {{ would.missing.length }} {{ would.missing.length === 1 ? 'permission' : 'permissions' }} more:
          {{ would.missing.slice(0, 12).join('; ') }}{{ would.missing.length > 12 ? '; …' : '' }}.
        </p>
        <p v-else>Nothing more: the statements that there are give all that its ways need.</p>
        <el-button v-if="workspace.canWrite" size="small" type="primary" @click="control">{{
          would.missing.length ? 'Write them, and control it' : 'Control it'
        }}</el-button>
        <el-button size="small" @click="would = undefined">leave it open</el-button>
        <span v-if="trouble" class="error" role="alert"><Said :text="trouble" /></span>
      </div>
      <p v-if="shown && shown.who.length === 0" class="soft none">
        Nobody needs permission on {{ broker }}, and no statement gives any.
      </p>
      <div v-else-if="shown" class="scroll">
        <table :style="{ '--columns': shown.on.length }">
          <caption class="hidden">
            who may do what on
            {{
              broker
            }}
          </caption>
          <thead>
            <tr>
              <td></td>
              <th v-for="on in shown.on" :key="on.id" scope="col">
                <button
                  class="plain"
                  :title="`${on.kind} ${on.name}, of ${on.owner}`"
                  @click="focus.selected = on.id"
                >
                  <span class="mono">{{ on.name }}</span>
                </button>
              </th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="who in shown.who" :key="who.id">
              <th scope="row">
                <span class="mono" :title="`${who.kind}, of ${who.tenant || 'nobody'}`">{{ who.name }}</span>
                <span v-if="who.kind !== 'app'" class="soft kind">{{ who.kind }}</span>
              </th>
              <td v-for="on in shown.on" :key="on.id">
                <button
                  v-if="shown.at.get(`${who.id} ${on.id}`)"
                  class="plain box"
                  :class="{ current: picked === `${who.id} ${on.id}` }"
                  :aria-label="say(who.name, on.name, shown.at.get(`${who.id} ${on.id}`)!)"
                  :title="say(who.name, on.name, shown.at.get(`${who.id} ${on.id}`)!)"
                  data-testid="cell"
                  @click="picked = `${who.id} ${on.id}`"
                >
                  <i
                    v-for="cell in shown.at.get(`${who.id} ${on.id}`)"
                    :key="cell.action"
                    class="cell"
                    :class="cell.state"
                    >{{ LETTERS[cell.action] }}</i
                  >
                </button>
              </td>
            </tr>
          </tbody>
        </table>
      </div>
    </div>
    <aside aria-label="the cell" data-testid="the-cell">
      <template v-if="pickedNames">
        <h2 class="mono">{{ pickedNames.who.name }} → {{ broker }}/{{ pickedNames.on.name }}</h2>
        <p class="soft">
          {{ pickedNames.who.kind }} of {{ pickedNames.who.tenant || 'nobody' }}; {{ pickedNames.on.kind }} of
          {{ pickedNames.on.owner || 'nobody' }}
        </p>
        <section v-for="cell in cells" :key="cell.action">
          <h3>
            {{ cell.action }}:
            <span
              :class="{
                error: cell.state === 'missing',
                soft: cell.state === 'unused',
                good: cell.state === 'needed',
              }"
              >{{ STATES[cell.state] }}</span
            >
          </h3>
          <p>
            <Said :text="cell.why" />
            <button v-if="cell.spot" class="plain link" @click="showInText(router, cell.spot)">
              {{ cell.spot.doc }} {{ cell.spot.line }}
            </button>
          </p>
          <p v-for="need in cell.needs" :key="`${need.spot.doc} ${need.spot.start}`">
            Needed because <Said :text="need.words" />
            <button class="plain link" @click="showInText(router, need.spot)">
              {{ need.spot.doc }} {{ need.spot.line }}
            </button>
          </p>
        </section>
      </template>
      <p v-else class="soft">
        Pick a cell: it says which statement allows it, or that none does, and which ways need it. A topic
        that hands to a queue and a link need permission too.
      </p>
    </aside>
  </div>
</template>

<style scoped>
.frame {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 290px;
  min-height: 0;
}
.sheet {
  display: grid;
  grid-template-rows: auto auto minmax(0, 1fr);
  min-height: 0;
}
.would {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px 10px;
  margin: 0 14px 8px;
  padding: 8px 12px;
  background: var(--accent-sheet);
}
.would p {
  flex-basis: 100%;
}
.would .el-button + .el-button {
  margin-left: 0;
}
.scroll,
.none {
  grid-row: 3;
}
.bar {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 4px 16px;
  padding: 8px 14px;
}
.bar label {
  display: flex;
  gap: 6px;
  align-items: center;
}
.bar :deep(.el-select) {
  width: 130px;
}
.legend {
  display: flex;
  gap: 12px;
}
.none {
  padding: 10px 14px;
}
.scroll {
  overflow: auto;
  padding: 0 14px 14px;
}
table {
  border-collapse: collapse;
}
/* the columns take the width there is, as far as letters need none of it */
table {
  min-width: min(100%, calc(180px + var(--columns) * 84px));
}
thead th {
  vertical-align: bottom;
  padding: 4px 0;
  position: sticky;
  top: 0;
  background: var(--sheet);
  z-index: 1;
}
thead th button {
  writing-mode: vertical-rl;
  transform: rotate(180deg);
  max-height: 150px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  font-weight: 400;
}
thead td {
  width: 190px;
}
tbody th {
  text-align: left;
  font-weight: 400;
  padding: 0 12px 0 0;
  white-space: nowrap;
  max-width: 240px;
  overflow: hidden;
  text-overflow: ellipsis;
  position: sticky;
  left: 0;
  background: var(--sheet);
}
.kind {
  font-size: 12px;
  margin-left: 6px;
}
tbody td {
  border: 1px solid var(--hairline);
  min-width: 28px;
  height: 25px;
  padding: 0;
  text-align: center;
}
tbody tr:hover {
  background: var(--band);
}
.box {
  white-space: nowrap;
  width: 100%;
  height: 100%;
  padding: 0 3px;
}
.box.current {
  outline: 2px solid var(--accent);
}
.cell {
  font: normal 12px/18px var(--mono);
  display: inline-block;
  min-width: 11px;
  text-align: center;
}
.cell.needed {
  font-weight: 700;
  color: var(--ink);
}
.cell.missing {
  min-width: 16px;
  color: var(--error);
  font-weight: 700;
  border: 1.5px solid var(--error);
  text-decoration: line-through;
}
.cell.unused {
  color: var(--soft);
  font-style: italic;
}
aside {
  border-left: 1px solid var(--hairline);
  padding: 12px 14px;
  overflow: auto;
  display: grid;
  gap: 8px;
  align-content: start;
  overflow-wrap: anywhere;
}
h3 {
  font-size: 14px;
  font-weight: 600;
  margin: 4px 0 2px;
}
.link {
  color: var(--accent);
  text-decoration: underline;
  font-size: 13px;
}
.hidden {
  position: absolute;
  width: 1px;
  height: 1px;
  overflow: hidden;
  clip-path: inset(50%);
}
</style>
