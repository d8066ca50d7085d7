<script setup lang="ts">
import { computed, shallowRef, watch } from 'vue';
import { useRouter } from 'vue-router';
import Said from '../../parts/Said.vue';
import { useFocus } from '../../stores/focus.ts';
import { useWorkspace } from '../../stores/workspace.ts';
import { core } from '../../workers/client.ts';
import type { CoverageView, StandingOut } from '../../workers/views.ts';
import { showInText } from '../show.ts';
import ClassList from './ClassList.vue';

/** What of all messages one would want to know of: what reaches nobody, what never decides anything. */
const { told } = defineProps<{ told: CoverageView | undefined }>();
const workspace = useWorkspace();
const focus = useFocus();
const router = useRouter();

const found = shallowRef<StandingOut>();
let asked = 0;
watch(
  () => told,
  async () => {
    const turn = ++asked;
    const now = await core.standingOut();
    if (turn === asked) found.value = now;
  },
  { immediate: true },
);
const LISTS = [
  {
    id: 'nobody',
    title: 'Messages that reach nobody',
    none: 'Every message that can be sent comes to rest somewhere.',
  },
  {
    id: 'refused',
    title: 'Messages of which a copy is refused',
    none: 'No copy is refused for want of permission.',
  },
  { id: 'lost', title: 'Messages that reach somebody, and of which a copy is lost', none: '' },
] as const;

const FINDINGS = [
  { title: 'What is to divide messages overlaps, or leaves a gap', checks: ['match/divides'] },
  {
    title: 'Conditions that never decide anything',
    checks: ['match/never', 'match/always', 'match/swallowed'],
  },
];
const sections = computed(() =>
  FINDINGS.map(({ title, checks }) => ({
    title,
    list: workspace.findings.filter(({ check }) => checks.includes(check)),
  })),
);
</script>

<template>
  <div class="out">
    <template v-if="found">
      <section v-for="list in LISTS" :key="list.id" :data-testid="list.id">
        <template v-if="found[list.id].rows.length">
          <h2>{{ list.title }}</h2>
          <ClassList :of="found[list.id]" becomes="what becomes of them" />
        </template>
        <p v-else-if="list.none" class="good">{{ list.none }}</p>
      </section>
    </template>
    <section v-if="told && told.told === told.of" data-testid="unreached">
      <template v-if="told.unreached.length">
        <h2>Stores that nothing reaches</h2>
        <ul>
          <li v-for="each in told.unreached" :key="each.node">
            <button class="plain link mono" @click="focus.selected = each.node">{{ each.at }}</button>
          </li>
        </ul>
      </template>
      <p v-else class="good">Every store is reached by something.</p>
    </section>
    <section v-for="{ title, list } in sections" :key="title">
      <template v-if="list.length">
        <h2>{{ title }}</h2>
        <ul>
          <li v-for="finding in list" :key="finding.id">
            <Said :text="finding.message" />
            <button class="plain link" @click="showInText(router, finding.spot)">
              {{ finding.spot.doc }} {{ finding.spot.line }}
            </button>
          </li>
        </ul>
      </template>
    </section>
  </div>
</template>

<style scoped>
.out {
  overflow: auto;
  padding: 12px 14px;
  display: grid;
  gap: 18px;
  align-content: start;
}
section {
  display: grid;
  gap: 6px;
}
section:empty {
  display: none;
}
h2 {
  font-size: 14px;
}
ul {
  display: grid;
  gap: 6px;
  list-style: none;
}
.link {
  color: var(--accent);
  text-decoration: underline;
  font-size: 13px;
  margin-left: 6px;
}
li > .link:first-child {
  margin-left: 0;
}
</style>
