<script setup lang="ts">
import { ElButton, ElProgress, ElRadioButton, ElRadioGroup } from 'element-plus';
import { computed } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import NextStep from '../../parts/NextStep.vue';
import { useFocus } from '../../stores/focus.ts';
import { useWorkspace } from '../../stores/workspace.ts';
import { core } from '../../workers/client.ts';
import { saveFile } from '../save.ts';
import Classes from './Classes.vue';
import OnServer from './OnServer.vue';
import Reaching from './Reaching.vue';
import StandsOut from './StandsOut.vue';
import Types from './Types.vue';
import { useTold } from '../../stores/told.ts';

/** All messages that can be sent, by what becomes of them. */
const workspace = useWorkspace();
const focus = useFocus();
const route = useRoute();
const router = useRouter();

/** From so many publishes on the server can tell them all, while one goes on here. */
const LARGE = 1000;
const PARTS = {
  type: 'One type',
  out: 'What stands out',
  store: 'Which reach a store',
} as const;
type Part = keyof typeof PARTS;
const part = computed({
  get: () => (String(route.query.part ?? '') in PARTS ? (route.query.part as Part) : 'type'),
  set: (next: Part) => void router.replace({ query: { ...route.query, part: next } }),
});

const { so, stopped, stop, goOn, running } = useTold(() => core.coverage());
const types = computed(() => so.value?.types ?? []);
const type = computed(() =>
  types.value.some((each) => each.type === focus.typeId) ? focus.typeId : (types.value[0]?.type ?? ''),
);

async function save(format: 'csv' | 'markdown') {
  const of = part.value === 'type' ? type.value : '';
  const text = await core.coverageAs(format, of);
  const ending = format === 'csv' ? 'csv' : 'md';
  saveFile(`coverage${of ? `-${of}` : ''}.${ending}`, text, format === 'csv' ? 'text/csv' : 'text/markdown');
}
</script>

<template>
  <div class="coverage">
    <header>
      <el-radio-group v-model="part" size="small" aria-label="part">
        <el-radio-button v-for="(title, id) in PARTS" :key="id" :value="id">{{ title }}</el-radio-button>
      </el-radio-group>
      <span v-if="so && so.told < so.of" class="pieces" role="status" data-testid="pieces">
        <el-progress
          :percentage="Math.floor((100 * so.told) / so.of)"
          :show-text="false"
          :stroke-width="6"
          aria-label="publishes told"
        />
        <span class="soft"
          >{{ so.told.toLocaleString('en') }} of {{ so.of.toLocaleString('en') }} publishes told</span
        >
        <el-button v-if="running" size="small" @click="stop">Stop</el-button>
        <el-button v-else-if="stopped" size="small" @click="goOn">Go on</el-button>
      </span>
      <OnServer v-if="so && so.of > LARGE && !workspace.topology?.local" />
      <span class="fill" />
      <el-button size="small" :disabled="types.length === 0" @click="save('csv')">Save as CSV</el-button>
      <el-button size="small" :disabled="types.length === 0" @click="save('markdown')"
        >Save as Markdown</el-button
      >
    </header>
    <NextStep v-if="workspace.looked && so && so.of === 0" class="none" />
    <div v-else-if="part === 'type'" class="one">
      <Types :types="types" :chosen="type" @choose="focus.typeId = $event" />
      <Classes v-if="type" :key="type" :type="type" :told="so!" />
    </div>
    <StandsOut v-else-if="part === 'out'" :told="so" />
    <Reaching v-else :told="so" />
  </div>
</template>

<style scoped>
.coverage {
  display: grid;
  grid-template-rows: auto minmax(0, 1fr);
  background: var(--sheet);
  min-height: 0;
}
header {
  display: flex;
  align-items: center;
  flex-wrap: wrap;
  gap: 6px 10px;
  padding: 8px 14px;
  border-bottom: 1px solid var(--hairline);
}
header .el-button + .el-button {
  margin-left: 0;
}
.fill {
  flex: 1;
}
.pieces {
  display: flex;
  align-items: center;
  gap: 8px;
}
.pieces .el-progress {
  width: 90px;
}
.none {
  padding: 14px 18px;
  align-content: start;
}
.one {
  display: grid;
  grid-template-columns: 236px minmax(0, 1fr);
  min-height: 0;
}
</style>
