<script setup lang="ts">
import { ElButton, ElRadioButton, ElRadioGroup } from 'element-plus';
import { computed } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { core } from '../../workers/client.ts';
import { saveFile } from '../save.ts';
import NextStep from '../../parts/NextStep.vue';
import { useWorkspace } from '../../stores/workspace.ts';
import Ask from './Ask.vue';
import Labels from './Labels.vue';
import Permissions from './Permissions.vue';
import Matrix from './Matrix.vue';
import Statements from './Statements.vue';

/** Who may do what to what, what the ways of messages need of it, and what nobody needs. */
const workspace = useWorkspace();
const route = useRoute();
const router = useRouter();

const PARTS = {
  matrix: 'Who may what',
  missing: 'Needed and missing',
  unused: 'Allowed and unused',
  label: 'Who can reach a label',
  route: 'From a route',
  ask: 'Ask',
} as const;
type Part = keyof typeof PARTS;

const part = computed({
  get: () => (String(route.query.part ?? '') in PARTS ? (route.query.part as Part) : 'matrix'),
  set: (next: Part) => void router.replace({ query: { ...route.query, part: next } }),
});

async function save() {
  saveFile('access.csv', await core.matrixText(), 'text/csv');
}
</script>

<template>
  <div class="access">
    <header>
      <el-radio-group v-model="part" size="small" aria-label="part">
        <el-radio-button v-for="(title, id) in PARTS" :key="id" :value="id">{{ title }}</el-radio-button>
      </el-radio-group>
      <el-button size="small" @click="save">Save as CSV</el-button>
    </header>
    <NextStep v-if="workspace.looked && workspace.analysis.has.brokers === 0" class="none" />
    <Matrix v-else-if="part === 'matrix'" />
    <Permissions v-else-if="part === 'missing' || part === 'route'" :key="part" :route="part === 'route'" />
    <Statements v-else-if="part === 'unused'" />
    <Labels v-else-if="part === 'label'" />
    <Ask v-else />
  </div>
</template>

<style scoped>
.access {
  display: grid;
  grid-template-rows: auto minmax(0, 1fr);
  min-height: 0;
  background: var(--sheet);
}
.none {
  padding: 14px;
  align-content: start;
}
header {
  display: flex;
  justify-content: space-between;
  gap: 10px;
  padding: 8px 14px;
  border-bottom: 1px solid var(--hairline);
}
</style>
