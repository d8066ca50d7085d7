<script setup lang="ts">
import { ElButton, ElCheckbox } from 'element-plus';
import { computed, ref } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { useForms } from '../../forms/store.ts';
import NextStep from '../../parts/NextStep.vue';
import { useWorkspace } from '../../stores/workspace.ts';
import { useFocus } from '../../stores/focus.ts';
import type { ProofView } from '../../workers/views.ts';
import { showInText } from '../show.ts';
import Said from '../../parts/Said.vue';

/** The promises of the topology, tried out at every change. */
const workspace = useWorkspace();
const focus = useFocus();
const forms = useForms();
const route = useRoute();
const router = useRouter();
const onlyBroken = ref(false);

const MARKS = { kept: '✓', broken: '✕', untried: '?' } as const;
const VERDICTS = {
  kept: 'kept',
  broken: 'broken',
  untried: 'not tried: nobody sends such a message',
} as const;
/** What is not kept comes first. */
const ORDER = { broken: 0, untried: 1, kept: 2 } as const;
const shown = computed(() =>
  workspace.proofs
    .filter(({ verdict }) => !onlyBroken.value || verdict !== 'kept')
    .sort((a, b) => ORDER[a.verdict] - ORDER[b.verdict]),
);
const count = (verdict: ProofView['verdict']) =>
  workspace.proofs.filter((each) => each.verdict === verdict).length;

/** Takes the message that broke a promise to another view, to be followed there. */
async function follow({ broken }: ProofView, view: 'trace' | 'fan-out') {
  if (!broken) return;
  const query = { ...route.query, type: broken.type, from: broken.app, sample: undefined };
  await router.push({ name: view, params: route.params, query });
  focus.edited = broken.message;
}
</script>

<template>
  <div class="expectations">
    <header>
      <h1>
        <template v-if="workspace.proofs.length">
          <span class="good">{{ count('kept') }} kept</span>
          <span v-if="count('broken')" class="error">{{ count('broken') }} broken</span>
          <span v-if="count('untried')" class="warning">{{ count('untried') }} not tried</span>
        </template>
        <template v-else>No expectations yet</template>
      </h1>
      <el-button
        v-if="workspace.canWrite && workspace.analysis.has.messages"
        size="small"
        @click="forms.open({ kind: 'expectation' })"
        >New expectation …</el-button
      >
      <el-checkbox v-if="workspace.proofs.length" v-model="onlyBroken" size="small"
        >only those not kept</el-checkbox
      >
    </header>
    <NextStep v-if="workspace.analysis.empty" />
    <p v-else-if="workspace.proofs.length === 0" class="soft">
      An expectation promises where messages go: <code>reaches</code>, <code>only</code>, <code>never</code>,
      <code>copies</code>, <code>within</code>. Follow a message in
      <router-link :to="{ name: 'trace', params: route.params, query: route.query }">Trace</router-link> and
      make its outcome a promise, or write one under <code>expectations:</code>. Each is tried again at every
      change.
    </p>
    <p v-else-if="shown.length === 0" class="soft">All of them are kept.</p>
    <ul>
      <li
        v-for="proof in shown"
        :key="`${proof.spot.doc} ${proof.spot.start}`"
        :class="proof.verdict"
        data-testid="proof"
      >
        <span class="mark" :aria-label="VERDICTS[proof.verdict]">{{ MARKS[proof.verdict] }}</span>
        <div class="what">
          <p>
            <b>{{ proof.name }}</b>
            <button class="plain link" @click="showInText(router, proof.spot)">
              {{ proof.spot.doc }} {{ proof.spot.line }}
            </button>
          </p>
          <p class="mono promise">{{ proof.promise }}</p>
          <p v-if="proof.verdict === 'untried'" class="warning">Nobody sends such a message.</p>
          <template v-if="proof.broken">
            <p class="error">
              <code>{{ proof.broken.message.key || proof.broken.type }}</code>, sent by
              {{ proof.broken.app }}, <Said :text="proof.broken.why" />.
            </p>
            <p class="acts">
              <el-button size="small" @click="follow(proof, 'trace')">Follow that message</el-button>
              <el-button size="small" @click="follow(proof, 'fan-out')">See its way in the picture</el-button>
            </p>
          </template>
          <p class="soft basis">{{ proof.basis }}</p>
        </div>
      </li>
    </ul>
  </div>
</template>

<style scoped>
.expectations {
  padding: 14px 18px;
  overflow: auto;
  background: var(--sheet);
  display: grid;
  gap: 10px;
  align-content: start;
}
header {
  display: flex;
  align-items: center;
  justify-content: space-between;
}
h1 {
  font-size: 16px;
  margin: 0;
  display: flex;
  gap: 14px;
}
li {
  display: grid;
  grid-template-columns: 22px minmax(0, 1fr);
  padding: 7px 0;
  border-top: 1px solid var(--hairline);
}
.what {
  display: grid;
  gap: 2px;
  overflow-wrap: anywhere;
}
.mark {
  font-weight: 700;
}
.kept .mark {
  color: var(--good);
}
.broken .mark {
  color: var(--error);
}
.untried .mark {
  color: var(--warning);
}
.basis {
  font-size: 13px;
}
.link {
  color: var(--accent);
  text-decoration: underline;
  font-size: 13px;
  margin-left: 8px;
}
</style>
