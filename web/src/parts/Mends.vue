<script setup lang="ts">
import { ElButton } from 'element-plus';
import { ref, shallowRef, watch } from 'vue';
import { useWorkspace } from '../stores/workspace.ts';
import { core } from '../workers/client.ts';
import type { FindingView, MendView } from '../workers/views.ts';
import Diff from './Diff.vue';
import Said from './Said.vue';

/** The mends of a finding, each shown as the change it is before it is made. */
const props = defineProps<{ finding: FindingView; open?: boolean }>();
const workspace = useWorkspace();
const shown = ref(-1);
const tried = shallowRef<MendView>();
const trouble = ref('');

let turn = 0;
async function show(index: number) {
  const now = ++turn;
  shown.value = index;
  tried.value = undefined;
  trouble.value = '';
  if (index < 0) return;
  const found = await core.mend(props.finding.id, index);
  if (now === turn) tried.value = found;
}

watch(
  () => `${props.finding.id} ${props.finding.message}`,
  () => void show(props.open && props.finding.mends.length ? 0 : -1),
  { immediate: true },
);

async function make(index: number) {
  trouble.value = await workspace.mend(props.finding, index);
}
</script>

<template>
  <ul v-if="finding.mends.length" class="mends">
    <li v-for="(title, index) in finding.mends" :key="title">
      <div class="acts">
        <el-button size="small" type="primary" plain :disabled="!workspace.canWrite" @click="make(index)"
          ><span><Said :text="title" /></span
        ></el-button>
        <button
          class="plain soft see"
          :aria-expanded="shown === index"
          :aria-label="`${shown === index ? 'hide' : 'see'} the change: ${title}`"
          @click="show(shown === index ? -1 : index)"
        >
          {{ shown === index ? 'hide' : 'see the change' }}
        </button>
        <!-- above the change, which comes a moment later and must not push it away from the pointer -->
        <slot v-if="index === 0" />
      </div>
      <template v-if="shown === index">
        <p v-if="!tried" class="soft">working it out …</p>
        <p v-else-if="!tried.ok" class="warning"><Said :text="tried.message" /></p>
        <template v-else>
          <Diff :changes="tried.changes" />
          <p v-for="words in tried.cures" :key="words" class="good">Also cures: <Said :text="words" /></p>
          <p v-for="words in tried.brings" :key="words" class="soft">
            Then to be looked at: <Said :text="words" />
          </p>
        </template>
      </template>
    </li>
  </ul>
  <p v-if="trouble" class="error" role="alert">{{ trouble }}</p>
</template>

<style scoped>
.mends {
  display: grid;
  gap: 6px;
  margin-top: 6px;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 4px 10px;
}
.acts :deep(.el-button) {
  height: auto;
  min-height: 26px;
  white-space: normal;
  text-align: left;
}
.see {
  font-size: 13px;
  text-decoration: underline;
}
</style>
