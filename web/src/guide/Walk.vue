<script setup lang="ts">
import { useLocalStorage } from '@vueuse/core';
import { ElButton } from 'element-plus';
import { computed } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import Said from '../parts/Said.vue';
import { examples } from './examples.ts';

/** A short walk over the real screens, written for the example that a topology began with. It can be left and taken up again. */
const props = defineProps<{ example: string; slug: string }>();
const route = useRoute();
const router = useRouter();
const guide = computed(() => examples().find(({ id }) => id === props.example));
/** Where it stands, kept for this browser; -1 where it was not begun. */
const at = useLocalStorage(`vondle walk ${props.slug}`, route.query.walk === '1' ? 0 : -1);
const open = useLocalStorage(`vondle walk ${props.slug} open`, route.query.walk === '1');
/** Asked for again, from elsewhere on the page. */
defineExpose({ takeUp: () => go(Math.max(0, at.value)) });
const step = computed(() => guide.value?.steps[at.value]);

function go(to: number) {
  const next = guide.value?.steps[to];
  if (!next) return;
  at.value = to;
  open.value = true;
  const env = route.query.env;
  void router.push({
    name: next.view,
    params: route.params,
    query: { ...next.query, ...(env ? { env } : {}) },
  });
}
if (route.query.walk === '1') go(0);
</script>

<template>
  <section
    v-if="guide && open && step"
    class="walk"
    aria-label="a walk through this example"
    data-testid="walk"
  >
    <p>
      <b>{{ guide.title }}, {{ at + 1 }} of {{ guide.steps.length }}.</b> <Said :text="step.words" />
    </p>
    <div class="acts">
      <el-button v-if="at > 0" size="small" @click="go(at - 1)">back</el-button>
      <el-button v-if="at < guide.steps.length - 1" size="small" type="primary" @click="go(at + 1)"
        >next</el-button
      >
      <el-button v-else size="small" type="primary" @click="open = false">done</el-button>
      <button class="plain link" @click="go(at)">show me again</button>
      <button class="plain link" @click="open = false">leave</button>
    </div>
  </section>
</template>

<style scoped>
.walk {
  display: flex;
  align-items: center;
  gap: 18px;
  padding: 7px 14px;
  background: var(--accent-sheet);
  border-bottom: 1px solid var(--hairline);
}
.walk p {
  flex: 1;
}
.acts {
  display: flex;
  align-items: center;
  gap: 12px;
}
.acts .el-button + .el-button {
  margin-left: 0;
}
.link {
  color: var(--accent);
  text-decoration: underline;
  font-size: 13px;
  white-space: nowrap;
}
</style>
