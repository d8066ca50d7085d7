<script setup lang="ts">
import { ElButton, ElInput } from 'element-plus';
import { computed, onBeforeUnmount, ref, shallowRef, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { api, type Passed, type TapSeen } from '../../api.ts';
import Choice from '../../parts/Choice.vue';
import { useAttempt } from '../../stores/attempt.ts';
import { useFocus } from '../../stores/focus.ts';
import { useWorkspace } from '../../stores/workspace.ts';
import { core } from '../../workers/client.ts';
import { hopRows, messageOf } from './hops.ts';
import { ago } from './measures.ts';

/** What passed the taps of an environment: found again, and each message's real way beside the trace of one like it. */
const props = defineProps<{ slug: string; environment: string; now: number }>();
const workspace = useWorkspace();
const focus = useFocus();
const route = useRoute();
const router = useRouter();
const AT_ONCE = 100;
const AGAIN_MS = 3000;

const taps = shallowRef<TapSeen[]>();
const found = shallowRef<Passed[]>([]);
const more = ref(false);
const find = ref('');
const EVERY = 'every tap';
const place = ref(EVERY);
const { busy, trouble, attempt } = useAttempt();
const nameOf = (id: string) => id.slice(id.indexOf(':') + 1);
const asked = (before?: number) => ({
  ...(find.value.trim() ? { find: find.value.trim() } : {}),
  ...(place.value === EVERY ? {} : { place: place.value }),
  ...(before === undefined ? {} : { before }),
  most: AT_ONCE,
});
let asking = 0;
async function newest() {
  const turn = ++asking;
  const there = await api.taps(props.slug, props.environment);
  const got = workspace.canOperate ? await api.passed(props.slug, props.environment, asked()) : [];
  if (turn !== asking) return;
  [taps.value, found.value, more.value] = [there, got, got.length === AT_ONCE];
}
const search = () => attempt(newest);
const older = () =>
  attempt(async () => {
    const got = await api.passed(props.slug, props.environment, asked(found.value.at(-1)!.id));
    found.value = [...found.value, ...got];
    more.value = got.length === AT_ONCE;
  });
watch(
  () => `${props.slug} ${props.environment} ${place.value}`,
  () => void search(),
  { immediate: true },
);
// as long as only the newest are shown, newer ones come by themselves
const timer = setInterval(() => {
  if (!document.hidden && !busy.value && found.value.length <= AT_ONCE) newest().catch(() => {});
}, AGAIN_MS);
onBeforeUnmount(() => clearInterval(timer));

/** All copies of the message that is looked at. */
const copies = shallowRef<Passed[]>([]);
const lit = shallowRef<Readonly<Record<string, number>>>();
const one = computed(() => copies.value[0]);
const message = computed(() => (copies.value.length ? messageOf(copies.value) : undefined));
const type = computed(() => workspace.messages.find(({ id }) => id === message.value?.type));
/** Those who may have sent it: whom it names, or all who publish its type. */
const publishes = computed(() => {
  const all = type.value?.publishes ?? [];
  const own = all.filter(({ app }) => app === one.value?.who);
  return own.length ? own : all;
});
const open = (each: Passed) =>
  attempt(async () => {
    lit.value = undefined;
    copies.value = await api.passed(props.slug, props.environment, { same: each.same, most: AT_ONCE });
    const plain = message.value && (JSON.parse(JSON.stringify(message.value)) as typeof message.value);
    if (!plain || publishes.value.length === 0) return;
    const way = await core.follow(
      publishes.value.map(({ app, to, via }) => ({ message: plain, to, via, from: app })),
    );
    lit.value = way.lit.nodes;
  });
const rows = computed(() =>
  copies.value.length
    ? hopRows(
        copies.value,
        (taps.value ?? []).map((each) => each.place),
        lit.value,
      )
    : [],
);
const headersKept = computed(() => copies.value.some(({ headers }) => headers !== null));
const payload = computed(() => copies.value.find(({ body }) => body !== null)?.body);
const headers = computed(() => copies.value.find((each) => each.headers !== null)?.headers);
async function trace() {
  const wanted = message.value!;
  await router.push({
    name: 'trace',
    params: route.params,
    query: { env: route.query.env, type: wanted.type },
  });
  focus.typeId = wanted.type!;
  focus.edited = wanted;
}
const toThing = (id: string) => ({
  name: 'fan-out',
  params: route.params,
  query: { sel: id, env: props.environment },
});
const standing = computed(() => (taps.value ?? []).filter(({ runs, why }) => !runs && why !== ELSEWHERE));
/** What the server says of what another of its processes does. */
const ELSEWHERE = 'another process carries it';
/** Of today the time of day is enough. */
const time = (at: string) => {
  const then = new Date(at);
  const today = then.toDateString() === new Date(props.now).toDateString();
  return today ? then.toLocaleTimeString('en-GB') : then.toLocaleString('en-GB');
};
</script>

<template>
  <div class="halves">
    <div>
      <p v-if="taps && taps.length === 0" class="soft">
        No tap is declared for what stands in {{ environment }}. Write one to keep copies of what passes a
        place: <code>taps: [ { on: broker/name, keep: 7d } ]</code>, and roll it out.
      </p>
      <template v-else-if="taps">
        <p v-for="each in standing" :key="each.place" class="error">
          Nobody listens at {{ nameOf(each.place) }}: {{ each.why }}
        </p>
        <form class="row" @submit.prevent="search">
          <el-input
            v-model="find"
            class="find"
            type="search"
            placeholder="key, id, type, app"
            aria-label="find what passed"
            clearable
          />
          <Choice
            v-model="place"
            words="at"
            called="place"
            class="choice"
            :options="[
              { value: EVERY, label: EVERY },
              ...taps.map((each) => ({ value: each.place, label: nameOf(each.place) })),
            ]"
          />
          <el-button native-type="submit" :loading="busy">Find</el-button>
        </form>
        <p v-if="trouble" class="error" role="alert">{{ trouble }}</p>
        <p v-if="!workspace.canOperate" class="soft">Operators and owners see what passed.</p>
        <p v-else-if="found.length === 0" class="soft">Nothing that was kept is so.</p>
        <table v-else>
          <thead>
            <tr>
              <th>when</th>
              <th>at</th>
              <th>message</th>
              <th>key</th>
              <th>sent by</th>
              <th class="n">bytes</th>
            </tr>
          </thead>
          <tbody>
            <tr
              v-for="each in found"
              :key="each.id"
              :class="{ picked: each.same === one?.same }"
              data-testid="passed"
            >
              <td class="when">{{ time(each.at) }}</td>
              <td class="name">{{ nameOf(each.place) }}</td>
              <td class="name">
                <button class="plain" :title="each.same" @click="open(each)">
                  {{ each.type ?? 'no declared type' }}
                </button>
                <span v-if="each.died" class="error"> {{ each.died }}</span>
              </td>
              <td class="name">{{ each.key }}</td>
              <td class="name">{{ each.who }}</td>
              <td class="n">{{ each.size.toLocaleString('en') }}</td>
            </tr>
          </tbody>
        </table>
        <button v-if="more" class="plain link" :disabled="busy" @click="older">older ones</button>
        <details v-if="taps.some(({ unseen }) => unseen.length)" class="soft">
          <summary>what these taps do not see</summary>
          <ul>
            <template v-for="each in taps" :key="each.place">
              <li v-for="words in each.unseen" :key="words">
                <span class="mono">{{ nameOf(each.place) }}</span>: {{ words }}
              </li>
            </template>
          </ul>
        </details>
      </template>
    </div>
    <div>
      <p v-if="!one" class="soft">Press a message to see where it went.</p>
      <section v-else aria-label="where it went" data-testid="where-it-went">
        <h2>{{ one.messageId ?? one.type ?? 'a message without an id' }}</h2>
        <p>
          <span v-if="message"
            >A <b class="mono">{{ message.type }}</b>.
            <button v-if="publishes.length" class="plain link" @click="trace">trace it</button>
          </span>
          <span v-else class="warning">It is of no declared type, so there is no trace beside it.</span>
        </p>
        <table>
          <thead>
            <tr>
              <th>place</th>
              <th class="n">passed</th>
              <th v-if="lit">by the trace</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="(each, i) in rows" :key="each.place" data-testid="hop">
              <td class="name">
                <router-link :to="toThing(each.place)">{{ nameOf(each.place) }}</router-link>
                <span v-if="each.seen.length > 1" class="soft"> ×{{ each.seen.length }}</span>
              </td>
              <td class="n">
                <span v-if="each.after === undefined" class="warning">not seen</span>
                <template v-else-if="i === 0">{{ ago(each.seen[0]!.at, now) }} ago</template>
                <template v-else>{{ each.after.toLocaleString('en') }} ms later</template>
              </td>
              <td v-if="lit" :class="each.predicted === each.seen.length > 0 ? 'good' : 'warning'">
                {{ each.predicted ? 'passes' : 'does not pass' }}
              </td>
            </tr>
          </tbody>
        </table>
        <p v-if="lit && !headersKept" class="soft">
          Its headers were not kept: the trace is of a message with its key alone.
        </p>
        <p v-if="one.correlationId" class="soft">
          With the correlation id <span class="mono">{{ one.correlationId }}</span>.
        </p>
        <dl v-if="headers && Object.keys(headers).length">
          <template v-for="(value, name) in headers" :key="name">
            <dt class="mono">{{ name }}</dt>
            <dd class="mono">{{ typeof value === 'string' ? value : JSON.stringify(value) }}</dd>
          </template>
        </dl>
        <pre v-if="payload">{{ payload }}</pre>
        <p v-if="copies.some(({ hidden }) => hidden)" class="soft">
          You are not let read what is in messages; an owner may let you, in People.
        </p>
      </section>
    </div>
  </div>
</template>

<style scoped>
.halves {
  display: grid;
  grid-template-columns: minmax(0, 3fr) minmax(0, 2fr);
  gap: 22px;
  margin-top: 10px;
}
.row {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px;
  margin-bottom: 8px;
}
.find {
  width: 200px;
}
.choice :deep(.el-select) {
  width: 190px;
}
table {
  width: 100%;
  border-collapse: collapse;
  font-size: 13px;
}
th {
  color: var(--soft);
  font-weight: 400;
  text-align: left;
  padding: 2px 8px 2px 0;
}
td {
  padding: 2px 8px 2px 0;
  border-top: 1px solid var(--hairline);
  vertical-align: top;
}
.n {
  text-align: right;
  font-variant-numeric: tabular-nums;
  white-space: nowrap;
}
.when {
  white-space: nowrap;
  font-variant-numeric: tabular-nums;
}
.name {
  font: 12px/1.6 var(--mono);
  overflow-wrap: break-word;
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
tr.picked {
  background: var(--accent-sheet);
}
h2 {
  margin: 0 0 4px;
  font: 600 13px/1.5 var(--mono);
  overflow-wrap: anywhere;
}
dl {
  display: grid;
  grid-template-columns: max-content 1fr;
  gap: 2px 12px;
  margin: 8px 0;
}
dd {
  margin: 0;
  overflow-wrap: anywhere;
}
pre {
  margin: 8px 0;
  padding: 8px;
  background: var(--sheet);
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  max-height: 260px;
  overflow: auto;
}
details {
  margin-top: 8px;
}
.mono {
  font-family: var(--mono);
  font-size: 12px;
}
.link {
  color: var(--accent);
  text-decoration: underline;
}
</style>
