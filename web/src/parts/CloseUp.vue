<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core';
import { ElButton, ElInput } from 'element-plus';
import { computed, defineAsyncComponent, ref, watch } from 'vue';
import { useForms } from '../forms/store.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { useFocus } from '../stores/focus.ts';
import { core } from '../workers/client.ts';
import type { Spot } from '../workers/views.ts';
import Around from './Around.vue';
import CameWith from './CameWith.vue';
import Condition from './Condition.vue';
import Findings from './Findings.vue';
import WhyNot from './WhyNot.vue';
import { linesBetween } from './lines.ts';
import { useOrigins } from './origin.ts';
import Said from './Said.vue';

// what it is made of is large, and nobody needs it before something is looked at
const Settings = defineAsyncComponent(() => import('./Settings.vue'));

const workspace = useWorkspace();
const focus = useFocus();
const forms = useForms();
const emit = defineEmits<{ show: [spot: Spot] }>();
const name = ref<string>();
const trouble = ref('');
const uses = ref<Spot[]>();
/** How many other places name it; counted in a pause, for all places are looked through. */
const usesCount = ref(0);
const countUses = useDebounceFn(async () => {
  const of = focus.closeUp?.thing;
  const count = of ? (await core.usesOf(of)).length : 0;
  if (of === focus.closeUp?.thing) usesCount.value = count;
}, 250);
/** The way whose condition is open: the only one opens by itself. */
const shownWay = ref('');

watch(
  () => focus.closeUp?.thing,
  () => {
    name.value = undefined;
    trouble.value = '';
    uses.value = undefined;
    usesCount.value = 0;
    const ways = focus.closeUp?.conditions ?? [];
    shownWay.value = ways.length === 1 ? ways[0]!.edge : '';
  },
  { immediate: true },
);

watch(
  () => focus.closeUp,
  () => void countUses(),
  { immediate: true },
);

/** With which revision the thing was changed last: of the lines of its name and its settings, the newest. */
const doc = computed(() => focus.closeUp?.spot.doc ?? '');
const text = computed(() => workspace.documents.find(({ name: each }) => each === doc.value)?.text ?? '');
const origins = useOrigins(doc, text);
const origin = computed(() => {
  const of = focus.closeUp;
  if (!of) return undefined;
  const own = of.settings.flatMap(({ spot }) =>
    spot?.doc === of.spot.doc && spot.start >= of.spot.start ? [spot] : [],
  );
  const end = own.reduce((last, spot) => Math.max(last, spot.end), of.spot.end);
  return origins.value(...linesBetween(text.value, of.spot.start, end));
});

async function rename() {
  const of = focus.closeUp;
  const asked = name.value;
  if (!of || asked === undefined) return;
  const edited = await workspace.edit(() => core.rename(of.thing, asked));
  trouble.value = edited.ok ? '' : edited.message;
  if (!edited.ok) return;
  focus.selected = of.id.slice(0, of.id.length - of.name.length) + asked;
  name.value = undefined;
}

async function findUses() {
  uses.value = uses.value ? undefined : await core.usesOf(focus.closeUp!.thing);
}
</script>

<template>
  <section v-if="focus.closeUp" class="close-up" aria-label="close-up" data-testid="close-up">
    <header>
      <form v-if="name !== undefined" class="rename" @submit.prevent="rename" @keydown.esc="name = undefined">
        <el-input v-model="name" size="small" aria-label="new name" autofocus />
        <el-button size="small" type="primary" native-type="submit">rename</el-button>
      </form>
      <h2 v-else class="mono">{{ focus.closeUp.title }}</h2>
      <p v-if="trouble" class="error" role="alert"><Said :text="trouble" /></p>
      <p class="soft">{{ focus.closeUp.subtitle }}</p>
      <p class="links">
        <button class="plain link" @click="emit('show', focus.closeUp.spot)">
          {{ focus.closeUp.spot.doc }} {{ focus.closeUp.spot.line }}
        </button>
        <button
          v-if="workspace.canWrite && name === undefined"
          class="plain link"
          @click="name = focus.closeUp.name"
        >
          rename
        </button>
        <!-- counted a moment later: last, so that it pushes nothing away from the pointer -->
        <button v-if="usesCount" class="plain link" :aria-expanded="Boolean(uses)" @click="findUses">
          {{ usesCount === 1 ? '1 use' : `${usesCount} uses` }}
        </button>
      </p>
      <!-- known a moment later: its line is there before, so that nothing moves -->
      <p v-if="workspace.base && !workspace.topology?.local" class="soft origin" data-testid="thing-origin">
        <template v-if="origin && origin !== 'draft'">last changed with </template
        ><CameWith :origin="origin" />
      </p>
      <ul v-if="uses" class="uses">
        <li v-for="use in uses" :key="`${use.doc} ${use.start}`">
          <button class="plain link" @click="emit('show', use)">{{ use.doc }} {{ use.line }}</button>
        </li>
      </ul>
    </header>
    <p v-if="workspace.canWrite && focus.closeUp.acts.length" class="links" aria-label="declare">
      <button
        v-for="act in focus.closeUp.acts"
        :key="act.title"
        class="plain link"
        @click="forms.open(act.form)"
      >
        {{ act.title }} …
      </button>
    </p>
    <Around
      v-if="focus.closeUp.upstream.count + focus.closeUp.downstream.count"
      :of="focus.closeUp"
      @pick="focus.selected = $event"
    />
    <template v-if="focus.closeUp.findings.length">
      <h2 class="part">Findings</h2>
      <Findings :findings="focus.closeUp.findings" @show="emit('show', $event)" />
    </template>
    <!-- a finding of this very thing says why already -->
    <WhyNot v-else @show="emit('show', $event)" />
    <template v-if="focus.closeUp.settings.length">
      <h2 class="part">Settings</h2>
      <Settings :of="focus.closeUp" />
    </template>
    <template v-for="way in focus.closeUp.conditions" :key="way.edge">
      <h2 class="part">
        <button
          class="plain"
          :aria-expanded="shownWay === way.edge"
          @click="shownWay = shownWay === way.edge ? '' : way.edge"
        >
          {{ shownWay === way.edge ? '▾' : '▸' }} What passes the <Said :text="way.title" />
        </button>
      </h2>
      <Condition v-if="shownWay === way.edge" :way="way" />
    </template>
    <template v-if="focus.closeUp.reach.length">
      <h2 class="part">A way leads here for</h2>
      <p class="reach">
        <button
          v-for="type in focus.closeUp.reach"
          :key="type"
          class="plain mono link"
          title="follow it"
          @click="focus.typeId = type"
        >
          {{ type }}
        </button>
      </p>
    </template>
  </section>
</template>

<style scoped>
.origin {
  height: 20px;
  overflow: hidden;
  white-space: nowrap;
  text-overflow: ellipsis;
}
.close-up {
  display: grid;
  gap: 8px;
  align-content: start;
  overflow-wrap: anywhere;
}
header {
  display: grid;
  gap: 3px;
}
header h2 {
  font-size: 14px;
  padding-right: 18px;
}
.rename {
  display: flex;
  gap: 6px;
}
.links,
.reach {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 12px;
}
.link {
  color: var(--accent);
  text-decoration: underline;
  font-size: 13px;
}
.reach .link {
  font-size: 12px;
}
.uses {
  display: grid;
  padding-left: 10px;
  border-left: 2px solid var(--hairline);
}
.part {
  margin-top: 8px;
  padding-bottom: 3px;
  border-bottom: 1px solid var(--hairline);
}
</style>
