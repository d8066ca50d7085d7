<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { api, type ContradictionSeen, type Course, type StoreSeen } from '../../api.ts';
import Choice from '../../parts/Choice.vue';
import Said from '../../parts/Said.vue';
import { useWorkspace } from '../../stores/workspace.ts';
import Alerts from './Alerts.vue';
import Courses from './Courses.vue';
import Drift from './Drift.vue';
import Letters from './Letters.vue';
import { useLook } from './look.ts';
import MadeUp from './MadeUp.vue';
import Passed from './Passed.vue';
import { ago, MEASURES, type Measure, perSecond, SPANS } from './measures.ts';

/** So many stores are charted together. */
const MOST_PICKED = 6;
/** So many rows are shown before one asks for more. */
const FIRST_ROWS = 200;

const workspace = useWorkspace();
const route = useRoute();
const router = useRouter();
const slug = computed(() => String(route.params.slug));
/** Where something stands. */
const environments = computed(() =>
  workspace.standings.filter(({ revisions }) => revisions.length).map(({ environment }) => environment),
);
const environment = computed(() => {
  const asked = route.query.env;
  return typeof asked === 'string' && environments.value.includes(asked) ? asked : environments.value[0];
});
const go = (name: string) => router.replace({ query: { ...route.query, env: name, stores: undefined } });

const { look, trouble, now } = useLook(
  () => (environment.value === undefined ? undefined : { slug: slug.value, environment: environment.value }),
  () => void drawAgain(),
);

const part = computed<'now' | 'passed'>({
  get: () => (route.query.part === 'passed' ? 'passed' : 'now'),
  set: (which) =>
    void router.replace({ query: { ...route.query, part: which === 'now' ? undefined : which } }),
});

const nameOf = ({ broker, name }: Pick<StoreSeen, 'broker' | 'name'>) => `${broker}/${name}`;
const find = ref('');
const all = ref(false);
const rows = computed(() =>
  (look.value?.stores ?? []).filter((each) => nameOf(each).toLowerCase().includes(find.value.toLowerCase())),
);
const shown = computed(() => (all.value ? rows.value : rows.value.slice(0, FIRST_ROWS)));
const hasDelay = computed(() => rows.value.some(({ delayed }) => delayed > 0));
/** The gravest that is said of each store. */
const wrong = computed(
  () =>
    new Map(
      [...(look.value?.said ?? [])].reverse().flatMap((each) => (each.store ? [[each.store, each]] : [])),
    ),
);

/** The stores that are charted, in the address; the first in the table where none is picked. */
const picked = computed<string[]>(() => {
  const asked =
    typeof route.query.stores === 'string' ? route.query.stores.split(' ').map(decodeURIComponent) : [];
  if (asked.length) return asked.slice(0, MOST_PICKED);
  return look.value?.stores.slice(0, 1).map(nameOf) ?? [];
});
function pick(name: string, more: boolean) {
  const others = picked.value.filter((each) => each !== name);
  const next = !more ? [name] : picked.value.includes(name) ? others : [...others, name];
  void router.replace({
    query: {
      ...route.query,
      stores: next.slice(-MOST_PICKED).map(encodeURIComponent).join(' ') || undefined,
    },
  });
}
const measure = ref<Measure>('waiting');
const minutes = ref<keyof typeof SPANS>(15);
const courses = shallowRef<{ store: string; course: Course }[]>([]);
async function drawAgain() {
  const at = environment.value;
  if (at === undefined) return;
  const found = await Promise.all(
    picked.value.map(async (store) => {
      const slash = store.indexOf('/');
      const course = await api
        .course(slug.value, at, store.slice(0, slash), store.slice(slash + 1), minutes.value)
        .catch(() => undefined);
      return course ? [{ store, course }] : [];
    }),
  );
  if (environment.value === at) courses.value = found.flat();
}
watch([() => picked.value.join(' '), minutes, environment], () => void drawAgain(), { immediate: true });
const nodes = computed(() => new Set(look.value?.stores.flatMap(({ node }) => node ?? [])).size);
const one = computed(() => look.value?.stores.find((each) => nameOf(each) === picked.value.at(-1)));

const toThing = ({ about }: Pick<ContradictionSeen, 'about'>) => ({
  name: 'fan-out',
  params: route.params,
  query: { sel: about, env: environment.value },
});
const grave = ({ kind }: ContradictionSeen) =>
  ['broker away', 'stalls', 'link stands'].includes(kind) ? 'error' : 'warning';
</script>

<template>
  <section v-if="environments.length === 0" class="empty">
    <h1>Watch</h1>
    <p class="soft">Nothing of this topology stands on a broker yet, so there is nothing to watch.</p>
    <router-link :to="{ name: 'rollout', params: route.params }"
      >Connect brokers and roll a revision out</router-link
    >
  </section>
  <section v-else class="watch">
    <div class="head">
      <h1>Watch</h1>
      <Choice
        v-if="environments.length > 1"
        :model-value="environment"
        words="environment"
        called="environment"
        class="choice"
        :options="environments.map((name) => ({ value: name, label: name }))"
        @update:model-value="go(String($event))"
      />
      <strong v-else>{{ environment }}</strong>
      <span v-if="look" class="soft" data-testid="as-of">
        as of {{ ago(look.at, now) }} ago ·
        <template v-for="(each, i) in look.brokers" :key="each.broker"
          >{{ i ? ', ' : ''
          }}<span :class="{ error: each.away !== null }"
            >{{ each.broker }} r{{ each.revision }}</span
          ></template
        >
      </span>
      <MadeUp :slug="slug" :environment="environment!" />
    </div>
    <nav class="parts" aria-label="parts of Watch">
      <button class="plain" :aria-pressed="part === 'now'" @click="part = 'now'">as it is now</button>
      <button class="plain" :aria-pressed="part === 'passed'" @click="part = 'passed'">what passed</button>
    </nav>
    <Passed v-if="part === 'passed'" :slug="slug" :environment="environment!" :now="now" />
    <p v-if="part === 'now' && trouble" class="error" role="alert">{{ trouble }}</p>
    <p v-if="part === 'now' && !look && !trouble" class="soft">Looking …</p>
    <div v-if="look && part === 'now'" class="halves">
      <div class="left">
        <Alerts
          :slug="slug"
          :environment="environment!"
          :alerts="look.alerts"
          :more="look.moreAlerts"
          :now="now"
        />
        <ul v-if="look.said.length" class="said" aria-label="what contradicts the topology">
          <li v-for="each in look.said" :key="each.id" data-testid="contradiction">
            <span :class="grave(each)">{{ each.kind }}</span>
            <span><Said :text="each.words" /></span>
            <span class="soft since">{{ ago(each.since, now) }}</span>
            <router-link v-if="each.about" :to="toThing(each)">in the picture</router-link>
          </li>
        </ul>
        <p v-else class="soft">Nothing contradicts the topology.</p>
        <Drift
          :slug="slug"
          :environment="environment!"
          :drift="look.drift"
          :brokers="look.brokers"
          :now="now"
          @looked="look = { ...look!, drift: $event }"
        />
        <div class="table-head">
          <input
            v-model="find"
            class="find"
            type="search"
            placeholder="find a store"
            aria-label="find a store"
          />
          <span class="soft"
            >{{ rows.length }} {{ rows.length === 1 ? 'store' : 'stores' }}; press one to chart it, with Shift
            beside others</span
          >
        </div>
        <table>
          <thead>
            <tr>
              <th>store</th>
              <th class="n">waiting</th>
              <th class="n">in hand</th>
              <th v-if="hasDelay" class="n">delayed</th>
              <th class="n">takers</th>
              <th class="n">come/s</th>
              <th class="n">settled/s</th>
              <th class="n">oldest</th>
            </tr>
          </thead>
          <tbody>
            <tr
              v-for="each in shown"
              :key="nameOf(each)"
              :class="{ picked: picked.includes(nameOf(each)) }"
              data-testid="store"
            >
              <td class="name">
                <button class="plain" :title="nameOf(each)" @click="pick(nameOf(each), $event.shiftKey)">
                  {{ nameOf(each) }}
                </button>
                <span v-if="each.id === null" class="soft">not declared</span>
                <span v-else-if="wrong.has(nameOf(each))" :class="grave(wrong.get(nameOf(each))!)">{{
                  wrong.get(nameOf(each))!.kind
                }}</span>
              </td>
              <td class="n">{{ each.waiting.toLocaleString('en') }}</td>
              <td class="n">{{ each.inHand.toLocaleString('en') }}</td>
              <td v-if="hasDelay" class="n">{{ each.delayed.toLocaleString('en') }}</td>
              <td class="n">{{ each.takers.length }}</td>
              <td class="n">{{ perSecond(each.comes) }}</td>
              <td class="n">{{ perSecond(each.goes) }}</td>
              <td class="n">{{ ago(each.oldestAt, now) }}</td>
            </tr>
          </tbody>
        </table>
        <button v-if="rows.length > shown.length" class="plain link" @click="all = true">
          show the other {{ rows.length - shown.length }}
        </button>
        <p v-if="look.more" class="soft">{{ look.more }} stores more in which nothing is are not told.</p>
      </div>
      <div class="right">
        <div class="choices">
          <Choice
            v-model="measure"
            words="how many"
            called="what is charted"
            class="choice"
            :options="Object.entries(MEASURES).map(([value, label]) => ({ value: value as Measure, label }))"
          />
          <Choice
            v-model="minutes"
            words="for"
            called="how far back"
            class="choice"
            :options="
              Object.entries(SPANS).map(([value, label]) => ({
                value: Number(value) as keyof typeof SPANS,
                label,
              }))
            "
          />
        </div>
        <Courses v-if="courses.length" :courses="courses" :measure="measure" :minutes="minutes" />
        <template v-if="one">
          <h2>{{ nameOf(one) }}</h2>
          <p v-if="one.takers.length === 0" class="soft">Nobody takes from it now.</p>
          <table v-else>
            <thead>
              <tr>
                <th>taker</th>
                <th>signed in as</th>
                <th class="n">in hand</th>
                <th class="n">at once</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="(taker, i) in one.takers" :key="i" data-testid="taker">
                <td class="name">
                  {{ taker.app && !taker.name.startsWith(taker.app) ? `${taker.app}: ` : '' }}{{ taker.name }}
                </td>
                <td class="name">{{ taker.user }}</td>
                <td class="n">{{ taker.inHand ?? '' }}</td>
                <td class="n">{{ taker.atOnce === 0 ? 'no limit' : (taker.atOnce ?? '') }}</td>
              </tr>
            </tbody>
          </table>
          <p v-if="one.node && nodes > 1" class="soft">It is on the node {{ one.node }}.</p>
          <Letters :slug="slug" :environment="environment!" :store="one" :stores="look.stores" />
        </template>
      </div>
    </div>
  </section>
</template>

<style scoped>
.watch,
.empty {
  padding: 14px 18px;
  height: 100%;
  overflow: auto;
  box-sizing: border-box;
}
.head {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 6px 14px;
}
h1 {
  margin: 0;
  font-size: 18px;
}
.parts {
  display: flex;
  gap: 16px;
  margin-top: 6px;
}
.parts button {
  padding: 2px 0;
  color: var(--soft);
  border-bottom: 2px solid transparent;
}
.parts button[aria-pressed='true'] {
  color: inherit;
  border-bottom-color: var(--accent);
}
.halves {
  display: grid;
  grid-template-columns: minmax(0, 3fr) minmax(0, 2fr);
  gap: 22px;
  margin-top: 10px;
}
.said {
  margin: 0 0 10px;
  padding: 0;
  list-style: none;
  max-height: 190px;
  overflow: auto;
}
.said li {
  display: grid;
  grid-template-columns: 104px 1fr auto auto;
  gap: 10px;
  padding: 3px 0;
  border-bottom: 1px solid var(--hairline);
}
.since {
  white-space: nowrap;
}
.table-head {
  display: flex;
  align-items: center;
  gap: 12px;
  margin: 6px 0;
}
.find {
  width: 150px;
}
table {
  width: 100%;
  border-collapse: collapse;
  font-size: 13px;
}
th {
  position: sticky;
  top: 0;
  background: var(--paper);
  color: var(--soft);
  font-weight: 400;
  text-align: left;
  padding: 2px 8px 2px 0;
  white-space: nowrap;
}
td {
  padding: 2px 8px 2px 0;
  border-top: 1px solid var(--hairline);
}
.n {
  text-align: right;
  font-variant-numeric: tabular-nums;
  white-space: nowrap;
}
.name {
  font: 12px/1.6 var(--mono);
  overflow-wrap: anywhere;
}
.name button {
  padding: 0;
  font: inherit;
  color: inherit;
  text-align: left;
}
.name button:hover {
  text-decoration: underline;
}
.name span {
  margin-left: 8px;
  font-family: var(--face);
}
tr.picked {
  background: var(--accent-sheet);
}
.choices {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
}
.choice :deep(.el-select) {
  width: 148px;
}
h2 {
  margin: 12px 0 4px;
  font: 600 13px/1.5 var(--mono);
  overflow-wrap: anywhere;
}
.link {
  color: var(--accent);
  text-decoration: underline;
}
</style>
