<script setup lang="ts">
import { onBeforeUnmount, shallowRef, watch } from 'vue';
import { api, type LinkEntry } from '../../api.ts';

/** The links that the server carries, and what is in the way of those that do not run; looked at again while it is shown. */
const props = defineProps<{ slug: string }>();
const links = shallowRef<readonly LinkEntry[]>([]);
const AGAIN_MS = 5000;

const look = async () => (links.value = await api.links(props.slug).catch(() => links.value));
watch(() => props.slug, look, { immediate: true });
const timer = setInterval(() => {
  if (!document.hidden) void look();
}, AGAIN_MS);
onBeforeUnmount(() => clearInterval(timer));

const count = (n: number, one: string, many: string) =>
  n === 1 ? `1 ${one}` : `${n.toLocaleString('en')} ${many}`;
function stands({ runs, why, carried, held }: LinkEntry): string {
  const moved = carried ? `, ${count(carried, 'message', 'messages')} carried` : '';
  const stay = held ? `; ${count(held, 'stays', 'stay')}, for its keys` : '';
  return runs ? `runs${moved}${stay}${why ? `; ${why}` : ''}` : `stands: ${why ?? 'it has not begun'}`;
}
</script>

<template>
  <div v-if="links.length" role="region" aria-label="links">
    <h2>Links</h2>
    <ul>
      <li v-for="each in links" :key="`${each.environment} ${each.link}`" data-testid="link">
        {{ each.environment }} · {{ each.link }}
        <span :class="each.runs && !each.why ? 'good' : 'warning'">{{ stands(each) }}</span>
      </li>
    </ul>
  </div>
</template>

<style scoped>
ul {
  margin: 0;
  padding: 0;
  list-style: none;
}
li {
  padding: 2px 0;
}
.good {
  color: var(--good);
}
</style>
