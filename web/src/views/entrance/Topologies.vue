<script setup lang="ts">
import { ElButton, ElInput } from 'element-plus';
import { computed, onMounted, ref, shallowRef } from 'vue';
import { useRouter } from 'vue-router';
import type { TextDocument } from '@vondle/core/base';
import { api, type Glance, type TopologyEntry, type Waiting } from '../../api.ts';
import { documentsOf, examples, type Example } from '../../guide/examples.ts';
import Mark from '../../parts/Mark.vue';
import { useSession } from '../../stores/session.ts';
import { ago } from './ago.ts';
import { readFolder } from './folder.ts';
import Shape from './Shape.vue';
import State from './State.vue';

/** The page one comes in by: what there is and how it stands, and every way to begin. */
const session = useSession();
const router = useRouter();
const topologies = shallowRef<TopologyEntry[]>();
const waiting = shallowRef<Waiting[]>([]);
const glances = ref<Record<string, Glance | 'unknown'>>({});
const wanted = ref('');
const beginning = ref(false);
const name = ref('');
const trouble = ref('');
const busy = ref('');
const zip = ref<HTMLInputElement>();
const folder = ref<HTMLInputElement>();
const MOST = 40;
const all = ref(false);

const found = computed(() => {
  const words = wanted.value.trim().toLowerCase();
  return (topologies.value ?? []).filter((each) =>
    [each.name, each.slug, each.revision?.words ?? '', ...each.people].some((text) =>
      text.toLowerCase().includes(words),
    ),
  );
});
const shown = computed(() => (all.value ? found.value : found.value.slice(0, MOST)));

onMounted(async () => {
  try {
    topologies.value = await api.topologies();
    beginning.value = topologies.value.length === 0;
    // a folder has nobody to wait for
    waiting.value = await api.inbox().catch(() => []);
    // one after the other: a list that holds up nobody else
    for (const { slug } of topologies.value.slice(0, MOST))
      glances.value = { ...glances.value, [slug]: await api.glance(slug).catch(() => 'unknown' as const) };
  } catch (error) {
    trouble.value = (error as Error).message;
  }
});

/** Makes a topology and goes there. */
async function begin(
  what: string,
  make: () => Promise<string>,
  then: Record<string, string> = {},
  view = 'declare',
) {
  trouble.value = '';
  busy.value = what;
  try {
    const slug = await make();
    await router.push({ path: `/t/${slug}/${view}`, query: then });
  } catch (error) {
    trouble.value = (error as Error).message;
  } finally {
    busy.value = '';
  }
}

const empty = () => begin('empty', async () => (await api.createTopology(name.value.trim())).slug);
const takeIn = (called: string, documents: readonly TextDocument[]) =>
  api.takeIn(called.slice(0, 100), documents).then(({ slug }) => slug);
const example = ({ id, title }: Example) =>
  begin(id, async () => takeIn(name.value.trim() || title, await documentsOf(id)), { walk: '1' }, 'fan-out');

async function chosen(event: Event, from: 'zip' | 'folder') {
  const input = event.target as HTMLInputElement;
  const files = [...(input.files ?? [])];
  input.value = '';
  if (!files.length) return;
  await begin(from, async () => {
    if (from === 'zip') {
      const { readZip } = await import('@vondle/core/formats/zip');
      const read = readZip(new Uint8Array(await files[0]!.arrayBuffer()));
      if (!read.ok) throw new Error(read.message);
      return takeIn(name.value.trim() || files[0]!.name.replace(/\.zip$/i, ''), read.documents);
    }
    const read = await readFolder(files);
    return takeIn(name.value.trim() || read.name, read.documents);
  });
}

async function signOut() {
  await session.signOut();
  await router.push('/sign-in');
}

const WAITS: Readonly<Record<Waiting['what'], (by: string, topology: string) => string>> = {
  review: (by, topology) => `${by} proposes it for ${topology}`,
  changes: (by, topology) => `${by} asks for changes, in ${topology}`,
  others: (by, topology) => `waits for ${by}, in ${topology}`,
};
/** What waits, and for whom. */
const waits = computed(() =>
  [
    {
      title: 'Waiting for you',
      testid: 'waiting',
      list: waiting.value.filter(({ what }) => what !== 'others'),
    },
    {
      title: 'Yours, waiting for others',
      testid: 'waiting-others',
      list: waiting.value.filter(({ what }) => what === 'others'),
    },
  ].filter(({ list }) => list.length > 0),
);
/** A broker that is declared and not connected has nothing of any revision. */
const declares = (slug: string) => {
  const glance = glances.value[slug];
  return glance && glance !== 'unknown' ? glance.counts.brokers : 0;
};
const stands = ({ slug, environments }: TopologyEntry) =>
  environments
    .map(({ environment, revisions, brokers, whole }) =>
      revisions.length
        ? `${environment} ${whole && brokers >= declares(slug) ? '' : 'partly '}r${revisions.join(' and r')}`
        : `${environment} nothing yet`,
    )
    .join(' · ');
</script>

<template>
  <header class="bar">
    <span class="name"><Mark /> vondle</span>
    <span class="soft"
      ><router-link to="/account">{{ session.person?.name }}</router-link>
      <button class="plain link" @click="signOut">sign out</button></span
    >
  </header>
  <main>
    <div class="top">
      <h1>Topologies</h1>
      <el-input
        v-if="topologies && topologies.length > 3"
        v-model="wanted"
        placeholder="find by name, words or people"
        aria-label="find by name, words or people"
        clearable
      />
      <span class="fill" />
      <el-button type="primary" :aria-expanded="beginning" data-testid="begin" @click="beginning = !beginning"
        >Begin a new one</el-button
      >
    </div>
    <p v-if="trouble" class="error" role="alert">{{ trouble }}</p>
    <section
      v-for="part in waits"
      :key="part.title"
      class="waiting"
      :aria-label="part.title"
      :data-testid="part.testid"
    >
      <h2>{{ part.title }}</h2>
      <ul>
        <li v-for="each in part.list" :key="`${each.slug} ${each.number} ${each.what} ${each.by}`">
          <router-link :to="`/t/${each.slug}/review?proposal=${each.number}`">{{ each.title }}</router-link>
          {{ ' ' }}<span class="soft">{{ WAITS[each.what](each.by, each.topology) }}</span>
        </li>
      </ul>
    </section>

    <section v-if="beginning" class="begin" aria-label="begin a new one">
      <form class="first" @submit.prevent="empty">
        <label>
          Its name
          <el-input
            v-model="name"
            aria-label="name of a new topology"
            placeholder="as people call it"
            maxlength="100"
          />
        </label>
        <el-button native-type="submit" type="primary" :disabled="!name.trim() || busy !== ''"
          >Begin empty</el-button
        >
        <el-button :disabled="busy !== ''" @click="zip?.click()">From a zip …</el-button>
        <el-button :disabled="busy !== ''" @click="folder?.click()">From a folder …</el-button>
        <input
          ref="zip"
          type="file"
          accept=".zip"
          hidden
          data-testid="begin-zip"
          @change="chosen($event, 'zip')"
        />
        <input
          ref="folder"
          type="file"
          webkitdirectory
          hidden
          data-testid="begin-folder"
          @change="chosen($event, 'folder')"
        />
      </form>
      <p class="soft">
        Documents are YAML or JSON files of the topology language. From a running broker: begin with an
        environment and that broker declared, connect it in Rollout, and press “take in …” there.
      </p>
      <h2>Or from an example, with a short walk through it</h2>
      <ul class="examples">
        <li v-for="each in examples()" :key="each.id">
          <button class="plain" :disabled="busy !== ''" data-testid="example" @click="example(each)">
            <b>{{ each.title }}</b>
            <span>{{ each.words }}</span>
            <span class="soft">{{
              busy === each.id ? 'beginning …' : `a walk of ${each.steps.length} steps`
            }}</span>
          </button>
        </li>
      </ul>
    </section>

    <p v-if="topologies?.length === 0" class="soft">
      You belong to no topology yet. Begin one above, or ask somebody to let you in.
    </p>
    <p v-else-if="topologies && found.length === 0" class="soft">None of yours holds these words.</p>
    <ul class="list">
      <li v-for="topology in shown" :key="topology.slug" data-testid="topology">
        <router-link :to="`/t/${topology.slug}/fan-out`" class="shape" tabindex="-1" aria-hidden="true">
          <Shape
            v-if="glances[topology.slug] && glances[topology.slug] !== 'unknown'"
            :shape="(glances[topology.slug] as Glance).shape"
          />
        </router-link>
        <div class="what">
          <h2>
            <router-link :to="`/t/${topology.slug}/fan-out`">{{ topology.name }}</router-link>
          </h2>
          <p v-if="topology.revision">
            <b>r{{ topology.revision.number }}</b> {{ topology.revision.words }}
            <span class="soft">{{ topology.revision.author }}, {{ ago(topology.revision.createdAt) }}</span>
          </p>
          <p v-else class="soft">no revision saved yet</p>
          <p class="soft">
            draft changed {{ ago(topology.updatedAt)
            }}{{ topology.updatedBy ? ` by ${topology.updatedBy}` : '' }} · {{ topology.people.join(', ') }} ·
            you are {{ topology.role === 'reader' ? 'a reader' : `an ${topology.role}` }}
          </p>
          <p v-if="topology.environments.length" class="soft">{{ stands(topology) }}</p>
        </div>
        <div class="state">
          <State :glance="glances[topology.slug]" />
        </div>
      </li>
    </ul>
    <button v-if="shown.length < found.length" class="plain link" @click="all = true">
      {{ found.length - shown.length }} more
    </button>
  </main>
</template>

<style scoped>
.waiting {
  display: grid;
  gap: 6px;
  margin: 0 0 18px;
  padding: 12px 16px;
  background: var(--accent-sheet);
}
.bar {
  display: flex;
  justify-content: space-between;
  padding: 10px 16px;
  border-bottom: 1px solid var(--hairline);
  background: var(--sheet);
}
.name {
  display: flex;
  gap: 8px;
  font-weight: 600;
  font-size: 16px;
}
.link {
  color: var(--accent);
  text-decoration: underline;
  margin-left: 8px;
}
main {
  max-width: 1000px;
  margin: 26px auto 60px;
  padding: 0 20px;
  display: grid;
  gap: 16px;
}
.top {
  display: flex;
  align-items: center;
  gap: 16px;
}
.top .el-input {
  width: 280px;
}
.fill {
  flex: 1;
}
h1 {
  font-size: 20px;
  margin: 0;
}
.begin {
  padding: 16px 18px;
  background: var(--sheet);
  border: 1px solid var(--hairline);
  display: grid;
  gap: 12px;
}
.first {
  display: flex;
  align-items: end;
  gap: 10px;
}
.first label {
  flex: 1;
  display: grid;
  gap: 3px;
  color: var(--soft);
}
.first .el-button + .el-button {
  margin-left: 0;
}
.examples {
  display: grid;
  grid-template-columns: repeat(3, minmax(0, 1fr));
  gap: 10px;
}
.examples button {
  height: 100%;
  display: grid;
  gap: 4px;
  align-content: start;
  padding: 10px 12px;
  border: 1px solid var(--hairline);
  width: 100%;
}
.examples button:hover {
  border-color: var(--accent);
}
.examples button .soft {
  font-size: 12.5px;
}
.list > li {
  display: grid;
  grid-template-columns: 132px minmax(0, 1fr) 180px;
  gap: 20px;
  padding: 14px 0;
  border-bottom: 1px solid var(--hairline);
}
.what {
  display: grid;
  gap: 2px;
  align-content: start;
  overflow-wrap: anywhere;
}
.what h2 {
  font-size: 16px;
}
.what h2 a {
  color: var(--ink);
}
.state {
  display: grid;
  align-content: start;
  justify-items: end;
  text-align: right;
  font-weight: 600;
}
</style>
