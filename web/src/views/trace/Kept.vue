<script setup lang="ts">
import { computed, shallowRef, watch } from 'vue';
import { useRouter } from 'vue-router';
import NextStep from '../../parts/NextStep.vue';
import { useWorkspace } from '../../stores/workspace.ts';
import { useFocus } from '../../stores/focus.ts';
import { core } from '../../workers/client.ts';
import type { KeptView } from '../../workers/views.ts';
import { showInText } from '../show.ts';

/** The kept samples, followed again at every change, beside what became of them before. */
const workspace = useWorkspace();
const focus = useFocus();
const router = useRouter();
const emit = defineEmits<{ follow: [] }>();
const kept = shallowRef<KeptView[]>([]);
const groups = computed(() => {
  const found = new Map<string, KeptView[]>();
  for (const sample of kept.value) found.set(sample.group, [...(found.get(sample.group) ?? []), sample]);
  return [...found];
});

let turn = 0;
watch(
  [() => workspace.analysis, () => workspace.compared],
  async () => {
    const now = ++turn;
    const found = await core.kept();
    if (now === turn) kept.value = found;
  },
  { immediate: true },
);

function mark(sample: KeptView): { word: string; kind: string } {
  if (workspace.compared === undefined) return { word: '', kind: '' };
  if (sample.change) return { word: 'changed', kind: 'warning' };
  return sample.known ? { word: 'as before', kind: 'good' } : { word: 'new, as before', kind: 'good' };
}

function follow(sample: KeptView) {
  const type = workspace.messages.find(({ id }) => id === sample.type);
  const index = type?.samples.findIndex((each) => each.kept && each.name === sample.name) ?? -1;
  focus.follow(sample.type, Math.max(0, index), sample.from);
  emit('follow');
}
</script>

<template>
  <section class="kept" aria-label="kept messages" data-testid="kept">
    <NextStep v-if="workspace.looked && !workspace.analysis.has.publishes" />
    <p v-else-if="kept.length === 0" class="soft">
      No message is kept yet. Follow one, then choose <i>keep this message</i>: it is written into the
      topology and followed again at every change.
    </p>
    <p v-else-if="workspace.compared === undefined" class="soft">
      Compare the draft with a revision, at the top, to see which of these now fare otherwise.
    </p>
    <section v-for="[group, samples] in groups" :key="group" :aria-label="group">
      <h2>{{ group }}</h2>
      <ul>
        <li v-for="sample in samples" :key="sample.name">
          <div class="line">
            <button class="plain link" @click="follow(sample)">{{ sample.name }}</button>
            <span class="soft mono">{{ sample.type }}</span>
            <span :class="mark(sample).kind">{{ mark(sample).word }}</span>
            <button class="plain place" @click="showInText(router, sample.spot)">
              {{ sample.spot.doc }} {{ sample.spot.line }}
            </button>
          </div>
          <p class="mono stores">{{ [...sample.rests, ...sample.ends].join(', ') || 'reaches nobody' }}</p>
          <template v-if="sample.change">
            <p v-if="sample.change.more.length">
              <b>+</b> also in <code>{{ sample.change.more.join(', ') }}</code>
            </p>
            <p v-if="sample.change.fewer.length">
              <b>−</b> no longer in <code>{{ sample.change.fewer.join(', ') }}</code>
            </p>
            <p v-if="sample.change.begun.length"><b>+</b> {{ sample.change.begun.join(', ') }}</p>
            <p v-if="sample.change.ended.length"><b>−</b> no longer {{ sample.change.ended.join(', ') }}</p>
          </template>
        </li>
      </ul>
    </section>
  </section>
</template>

<style scoped>
.kept {
  display: grid;
  gap: 16px;
  align-content: start;
}
li {
  padding: 6px 0;
  border-bottom: 1px solid var(--hairline);
}
.line {
  display: flex;
  gap: 10px;
  align-items: baseline;
}
.link,
.place {
  color: var(--accent);
  text-decoration: underline;
}
.place {
  margin-left: auto;
  font-size: 13px;
}
.stores {
  font-size: 12px;
  color: var(--soft);
}
</style>
