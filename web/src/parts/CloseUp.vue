<script setup lang="ts">
import { computed } from 'vue';
import { useFocus } from '../stores/focus.ts';
import type { Spot } from '../workers/views.ts';
import Findings from './Findings.vue';
import WhyNot from './WhyNot.vue';

const focus = useFocus();
const sides = computed(() => [
  { title: 'Upstream', ways: focus.closeUp?.upstream ?? [], none: 'Nothing leads here.' },
  { title: 'Downstream', ways: focus.closeUp?.downstream ?? [], none: 'Nothing leads on from here.' },
]);
const emit = defineEmits<{ show: [spot: Spot] }>();
</script>

<template>
  <section v-if="focus.closeUp" class="close-up" aria-label="close-up">
    <header>
      <h2 class="mono">{{ focus.closeUp.title }}</h2>
      <p class="soft">{{ focus.closeUp.subtitle }}</p>
      <button class="plain link" @click="emit('show', focus.closeUp.spot)">
        declared in {{ focus.closeUp.spot.doc }} {{ focus.closeUp.spot.line }}
      </button>
    </header>
    <dl v-if="focus.closeUp.facts.length">
      <template v-for="fact in focus.closeUp.facts" :key="fact.name">
        <dt class="soft">{{ fact.name }}</dt>
        <dd class="mono">{{ fact.value }}</dd>
      </template>
    </dl>
    <template v-if="focus.closeUp.findings.length">
      <h2 class="part">Findings</h2>
      <Findings :findings="focus.closeUp.findings" @show="emit('show', $event)" />
    </template>
    <!-- a finding of this very thing says why already -->
    <WhyNot v-else @show="emit('show', $event)" />
    <template v-for="side in sides" :key="side.title">
      <h2 class="part">{{ side.title }}</h2>
      <p v-if="side.ways.length === 0" class="soft">{{ side.none }}</p>
      <ul>
        <li v-for="(way, i) in side.ways" :key="i">
          <button class="plain way" @click="focus.selected = way.id">
            <code>{{ way.name }}</code>
          </button>
          <span class="soft">{{ way.by }}</span>
        </li>
      </ul>
    </template>
  </section>
</template>

<style scoped>
.close-up {
  display: grid;
  gap: 8px;
  align-content: start;
  overflow-wrap: anywhere;
}
header h2 {
  font-size: 14px;
}
.link {
  color: var(--accent);
  text-decoration: underline;
  font-size: 13px;
}
dl {
  display: grid;
  grid-template-columns: 100px 1fr;
  gap: 3px 10px;
}
.part {
  margin-top: 8px;
  padding-bottom: 3px;
  border-bottom: 1px solid var(--hairline);
}
ul {
  display: grid;
  gap: 4px;
}
li {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 8px;
}
.way:hover {
  color: var(--accent);
  text-decoration: underline;
}
</style>
