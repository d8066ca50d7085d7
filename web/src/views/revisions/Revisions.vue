<script setup lang="ts">
import { ElButton, ElInput } from 'element-plus';
import { computed, ref, shallowRef, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { api, type Glance } from '../../api.ts';
import { useWorkspace } from '../../stores/workspace.ts';
import { ago } from '../entrance/ago.ts';
import OneRevision from './OneRevision.vue';
import OverTime from './OverTime.vue';

/** The revisions of a topology: what each says, how it stood, where it runs; and what the one that is picked changed. */
const workspace = useWorkspace();
const route = useRoute();
const router = useRouter();

type Known = Omit<Glance, 'version'>;
const glances = shallowRef(new Map<number, Known>());
/** So many are looked through of themselves, the newest; of the others each when it is picked. */
const MOST_LOOKED = 60;
/** So many are listed; the others are found by words. */
const MOST_LISTED = 200;

const words = ref('');
const found = computed(() => {
  const asked = words.value.trim().toLowerCase();
  if (!asked) return workspace.revisions;
  return workspace.revisions.filter(({ number, words: own, author }) =>
    `r${number} ${own} ${author}`.toLowerCase().includes(asked),
  );
});
const picked = computed({
  get: () => Number(route.query.revision) || workspace.revisions[0]?.number || 0,
  set: (number: number) => void router.replace({ query: { ...route.query, revision: String(number) } }),
});
const revision = computed(() => workspace.revisions.find(({ number }) => number === picked.value));

/** Where each revision runs. */
const running = computed(() => {
  const at = new Map<number, string[]>();
  for (const { environment, revisions } of workspace.standings)
    for (const number of revisions) at.set(number, [...(at.get(number) ?? []), environment]);
  return at;
});

async function look(number: number) {
  const { slug } = workspace.topology!;
  if (glances.value.has(number)) return;
  const glance = await api.revisionGlance(slug, number).catch(() => undefined);
  if (glance && workspace.topology?.slug === slug) glances.value = new Map(glances.value).set(number, glance);
}
let turn = 0;
watch(
  () => workspace.revisions,
  async (all) => {
    const now = ++turn;
    for (const { number } of all.slice(0, MOST_LOOKED)) {
      if (now !== turn) return;
      await look(number);
    }
  },
  { immediate: true },
);
watch(picked, (number) => number && void look(number), { immediate: true });

const stood = (number: number) => {
  const glance = glances.value.get(number);
  if (!glance) return undefined;
  const { findings, expectations } = glance;
  const parts = [
    ...(findings.error ? [{ text: `${findings.error} errors`, kind: 'error' }] : []),
    ...(findings.warning ? [{ text: `${findings.warning} warnings`, kind: 'warning' }] : []),
    ...(expectations.broken ? [{ text: `${expectations.broken} promises broken`, kind: 'error' }] : []),
  ];
  return parts.length ? parts : [{ text: 'no findings', kind: 'good' }];
};
const points = computed(() =>
  [...workspace.revisions].reverse().flatMap(({ number }) => {
    const glance = glances.value.get(number);
    return glance ? [{ number, ...glance.findings, ...glance.counts }] : [];
  }),
);
</script>

<template>
  <div class="revisions">
    <p v-if="workspace.revisions.length === 0" class="none soft">
      There is no revision yet. The draft becomes one by
      <el-button
        v-if="workspace.canWrite"
        size="small"
        type="primary"
        @click="workspace.savingRevision = true"
        >Save revision…</el-button
      ><template v-else>whoever may write it</template>: it is what others compare with, and what is carried
      out on brokers.
    </p>
    <template v-else>
      <nav aria-label="revisions">
        <el-input v-model="words" size="small" placeholder="find by words, author or number" clearable />
        <OverTime v-if="points.length > 1" :points="points" :picked="picked" @pick="picked = $event" />
        <ol>
          <li v-for="each in found.slice(0, MOST_LISTED)" :key="each.number">
            <button
              class="plain"
              :aria-current="each.number === picked ? 'true' : undefined"
              data-testid="revision"
              @click="picked = each.number"
            >
              <span class="head">
                <b>r{{ each.number }}</b>
                <span v-for="name in running.get(each.number)" :key="name" class="runs"
                  >runs in {{ name }}</span
                >
                <span class="soft">{{ ago(each.createdAt) }}</span>
              </span>
              <span class="words">{{ each.words }}</span>
              <span class="soft">
                {{ each.author }}
                <template v-if="each.parent && each.parent !== each.number - 1">
                  · from r{{ each.parent }}</template
                >
                <template v-for="part in stood(each.number)" :key="part.text">
                  · <span :class="part.kind">{{ part.text }}</span></template
                >
              </span>
            </button>
          </li>
        </ol>
        <p v-if="found.length === 0" class="soft">No revision says so.</p>
        <p v-else-if="found.length > MOST_LISTED" class="soft">
          and {{ found.length - MOST_LISTED }} older ones: find them by words
        </p>
      </nav>
      <OneRevision
        v-if="revision"
        :key="revision.number"
        :revision="revision"
        :glance="glances.get(revision.number)"
        :runs-in="running.get(revision.number) ?? []"
      />
    </template>
  </div>
</template>

<style scoped>
.revisions {
  display: grid;
  grid-template-columns: 380px minmax(0, 1fr);
  background: var(--sheet);
  min-height: 0;
}
.none {
  grid-column: 1 / -1;
  padding: 18px;
}
nav {
  overflow: auto;
  border-right: 1px solid var(--hairline);
  padding: 10px 0;
}
.el-input {
  padding: 0 12px 8px;
}
ol {
  list-style: none;
}
button {
  display: grid;
  gap: 1px;
  width: 100%;
  padding: 7px 14px;
  text-align: left;
}
button:hover {
  background: var(--band);
}
button[aria-current] {
  background: var(--accent-sheet);
}
.head {
  display: flex;
  gap: 10px;
  align-items: baseline;
}
.head .soft {
  margin-left: auto;
}
.soft {
  font-size: 13px;
}
.runs {
  font-size: 12px;
  color: var(--accent);
}
.words {
  overflow-wrap: anywhere;
}
nav p {
  padding: 6px 14px;
}
</style>
