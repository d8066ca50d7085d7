<script setup lang="ts">
import { computed, ref, watch } from 'vue';
import { useRoute } from 'vue-router';
import { api, type AlertSeen, type AlertThen } from '../../api.ts';
import Said from '../../parts/Said.vue';
import { useAttempt } from '../../stores/attempt.ts';
import { ago, until } from './measures.ts';

/** The alerts that the topology asks for: which are off, which are about to be, and which were. */
const props = defineProps<{
  slug: string;
  environment: string;
  alerts: readonly AlertSeen[];
  more: number;
  now: number;
}>();
const route = useRoute();
const open = ref(false);
const past = ref<AlertThen[]>();
const { busy, trouble, attempt } = useAttempt();
const load = () => attempt(async () => void (past.value = await api.alerts(props.slug, props.environment)));
function turn() {
  open.value = !open.value;
  if (open.value) void load();
}
const off = computed(() => props.alerts.filter((each) => each.off));
// what goes off or ends changes what there was
watch(
  () => off.value.map(({ rule, place }) => `${rule} ${place}`).join('\n'),
  () => {
    if (open.value) void load();
  },
);
watch(
  () => `${props.slug} ${props.environment}`,
  () => {
    past.value = undefined;
    open.value = false;
  },
);
const toThing = ({ about }: { about: string }) => ({
  name: 'fan-out',
  params: route.params,
  query: { sel: about, env: props.environment },
});
</script>

<template>
  <div class="alerts" data-testid="alerts">
    <ul v-if="alerts.length" aria-label="alerts">
      <li v-for="each in alerts" :key="`${each.rule} ${each.place}`" data-testid="alert">
        <span :class="each.off ? 'error' : 'soft'">{{
          each.off ? 'alert' : `alert in ${until(each.offAt, now)}`
        }}</span>
        <span
          ><strong>{{ each.rule }}</strong> · <Said :text="each.words"
        /></span>
        <span class="soft since">{{ ago(each.since, now) }}</span>
        <router-link :to="toThing(each)">in the picture</router-link>
      </li>
    </ul>
    <p v-if="more" class="soft">{{ more }} more are not told.</p>
    <p>
      <span v-if="off.length === 0" class="soft">No alert has gone off. </span>
      <button class="plain link" :aria-expanded="open" :disabled="busy" @click="turn">
        {{ open ? 'hide those of before' : 'those of before' }}
      </button>
    </p>
    <p v-if="trouble" class="error" role="alert">{{ trouble }}</p>
    <template v-if="open && past">
      <p v-if="past.length === 0" class="soft">
        None went off here. Alerts are written under <code>watch:</code> in a document, and webhooks are told
        of them.
      </p>
      <ul v-else class="past" aria-label="alerts of before">
        <li
          v-for="each in past"
          :key="`${each.wentOffAt} ${each.rule} ${each.place}`"
          data-testid="past-alert"
        >
          <span :class="each.endedAt === null ? 'error' : 'soft'">{{
            each.endedAt === null ? 'alert' : 'over'
          }}</span>
          <span
            ><strong>{{ each.rule }}</strong> · <Said :text="each.words"
          /></span>
          <time class="soft since" :datetime="each.wentOffAt">{{
            new Date(each.wentOffAt).toLocaleString('en-GB')
          }}</time>
          <span class="soft since">{{
            each.endedAt === null ? 'still' : `for ${ago(each.wentOffAt, Date.parse(each.endedAt))}`
          }}</span>
        </li>
      </ul>
    </template>
  </div>
</template>

<style scoped>
ul {
  margin: 0 0 6px;
  padding: 0;
  list-style: none;
  max-height: 190px;
  overflow: auto;
}
li {
  display: grid;
  grid-template-columns: 104px 1fr auto auto;
  gap: 10px;
  padding: 3px 0;
  border-bottom: 1px solid var(--hairline);
  overflow-wrap: anywhere;
}
p {
  margin: 2px 0;
}
.since {
  white-space: nowrap;
}
.link {
  color: var(--accent);
  text-decoration: underline;
}
</style>
