<script setup lang="ts">
import { computed, ref } from 'vue';
import { useRoute } from 'vue-router';
import type { Rollout } from '../../api.ts';
import Said from '../../parts/Said.vue';

/** Steps to be read from first to last, each with its number. */
const { steps, revision } = defineProps<{ steps: Rollout['steps']; revision: number }>();
const route = useRoute();
/** The steps whose settings are shown. */
const open = ref(new Set<number>());
function toggle(position: number): void {
  if (!open.value.delete(position)) open.value.add(position);
}
/** Settings a line each; what is nothing is not said. */
function linesOf(settings: Readonly<Record<string, unknown>>): [string, string][] {
  return Object.entries(settings).flatMap(([name, value]): [string, string][] => {
    if (value === '' || value === null || value === undefined) return [];
    if (typeof value !== 'object') return [[name, String(value)]];
    return Object.keys(value).length ? [[name, JSON.stringify(value)]] : [];
  });
}
/** What a step is about: the thing itself, or what a binding leads to. */
function thingOf({ settings }: Rollout['steps'][number]): string | undefined {
  const named = settings?.['destination'] ?? settings?.['name'] ?? settings?.['app'];
  return typeof named === 'string' ? named : undefined;
}
/** Steps that follow each other and are about the same thing stand together under its name. */
const groups = computed(() => {
  const found: { thing: string | undefined; steps: Rollout['steps'][number][] }[] = [];
  for (const each of steps) {
    const thing = thingOf(each);
    const last = found.at(-1);
    if (last && thing !== undefined && last.thing === thing) last.steps.push(each);
    else found.push({ thing, steps: [each] });
  }
  return found;
});
const undoing = ref(false);
const canUndo = computed(() => steps.some(({ inverse }) => inverse));

const SIGNS = { pending: '', running: '›', done: '✓', failed: '✕', unknown: '?' } as const;
const RISKS = {
  none: '',
  interrupts: 'stops what comes this way now',
  loses: 'messages may be lost',
  'widens access': 'lets somebody do more',
} as const;
</script>

<template>
  <label v-if="canUndo" class="soft"><input v-model="undoing" type="checkbox" /> how each is undone</label>
  <ol>
    <li v-for="group in groups" :key="group.steps[0]!.position" class="group">
      <h4 v-if="group.steps.length > 1" class="soft">{{ group.thing }}</h4>
      <ol>
        <li v-for="each in group.steps" :key="each.position" :class="each.state" data-testid="step">
          <span class="state" :aria-label="each.state">{{ SIGNS[each.state] || each.position + 1 }}</span>
          <div>
            <button
              v-if="each.settings"
              class="plain title"
              :aria-expanded="open.has(each.position)"
              @click="toggle(each.position)"
            >
              <Said :text="each.title" />
            </button>
            <span v-else class="title"><Said :text="each.title" /></span>
            <span v-if="RISKS[each.risk]" class="warning">{{ RISKS[each.risk] }}</span>
            <span v-if="each.destroys && each.state !== 'done'" class="soft">{{ each.destroys }}</span>
            <span v-if="each.said" class="soft">{{ each.said }}</span>
            <span v-if="each.error" class="error">{{ each.error }}</span>
            <div v-if="open.has(each.position)" class="settings" data-testid="settings">
              <dl>
                <template v-for="[name, value] in linesOf(each.settings ?? {})" :key="name">
                  <dt>{{ name }}</dt>
                  <dd>{{ value }}</dd>
                </template>
              </dl>
              <router-link
                v-if="each.place"
                :to="{
                  name: 'declare',
                  params: route.params,
                  query: {
                    rev: String(revision),
                    doc: each.place.doc,
                    at: `${each.place.start}-${each.place.end}`,
                  },
                }"
                >the text that asks for it</router-link
              >
            </div>
            <span v-if="undoing && each.inverse" class="undo">to undo it: {{ each.inverse }}</span>
          </div>
        </li>
      </ol>
    </li>
  </ol>
</template>

<style scoped>
h4 {
  margin: 0;
  padding: 6px 0 0 30px;
  font: 600 11px/1.6 var(--mono);
}
li:not(.group) {
  display: grid;
  grid-template-columns: 30px 1fr;
  padding: 3px 0;
  border-bottom: 1px solid var(--hairline);
  font: 12px/1.6 var(--mono);
}
li:not(.group) > div {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 10px;
}
.done {
  color: var(--soft);
}
.state {
  color: var(--soft);
  text-align: right;
  padding-right: 8px;
}
.done .state {
  color: var(--good);
}
.failed .state {
  color: var(--error);
}
button.title {
  padding: 0;
  text-align: left;
  font: inherit;
  color: inherit;
}
button.title:hover {
  text-decoration: underline;
}
.settings {
  flex-basis: 100%;
  color: var(--soft);
}
dl {
  display: grid;
  grid-template-columns: max-content 1fr;
  gap: 0 10px;
  margin: 0;
}
dd {
  margin: 0;
  overflow-wrap: anywhere;
}
.title {
  overflow-wrap: anywhere;
}
.undo {
  flex-basis: 100%;
  color: var(--soft);
}
</style>
