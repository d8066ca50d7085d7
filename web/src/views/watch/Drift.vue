<script setup lang="ts">
import { computed, ref } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { api, type DriftSeen, type LookSeen } from '../../api.ts';
import Said from '../../parts/Said.vue';
import { useAttempt } from '../../stores/attempt.ts';
import { useWorkspace } from '../../stores/workspace.ts';
import { core } from '../../workers/client.ts';
import type { TakenInView } from '../../workers/views.ts';
import { ago } from './measures.ts';
import { differing } from './differing.ts';

/** How what the brokers have differs from what was applied there, and the rollout that would put it back. */
const props = defineProps<{
  slug: string;
  environment: string;
  drift: DriftSeen | null;
  brokers: LookSeen['brokers'];
  now: number;
}>();
const emit = defineEmits<{ looked: [DriftSeen] }>();
const workspace = useWorkspace();
const route = useRoute();
const router = useRouter();
const open = ref(false);
const { busy, trouble, attempt } = useAttempt();
const compare = () => attempt(async () => emit('looked', await api.drift(props.slug, props.environment)));
const byBroker = computed(() =>
  props.brokers.flatMap(({ broker, revision }) => {
    const differences = props.drift?.differences.filter((each) => each.broker === broker) ?? [];
    return differences.length
      ? [{ broker, revision, differences, canPutBack: differences.some(({ putBack }) => putBack !== null) }]
      : [];
  }),
);
const count = computed(() => (props.drift?.differences.length ?? 0) + (props.drift?.more ?? 0));
/** Plans a rollout of what stands there already: its steps are what puts it back. */
const putBack = (broker: string, revision: number) =>
  attempt(async () => {
    const targets = await api.targets(props.slug);
    const target = targets.find((each) => each.environment === props.environment && each.broker === broker);
    if (!target) throw new Error(`${broker} is not connected in ${props.environment} any more.`);
    const { id } = await api.planRollout(props.slug, { target: target.id }, { revision });
    await router.push({ name: 'rollout', params: route.params, query: { rollout: String(id) } });
  });
const taken = ref<Omit<TakenInView, 'edits'> & { broker: string }>();
/** Writes into the draft what the broker has, so that it is what is wanted; undone like any other edit. */
const takeIn = (broker: string, differences: DriftSeen['differences']) =>
  attempt(async () => {
    taken.value = undefined;
    const asked = JSON.parse(JSON.stringify(differing(differences))) as ReturnType<typeof differing>;
    let came: TakenInView | undefined;
    await workspace.edit(async () => {
      const found = await core.takeIn(props.environment, broker, asked);
      came = found;
      return found.edits;
    });
    if (!came) return;
    const rights = differences.flatMap(({ of, what }) =>
      of === 'rights'
        ? [{ what, why: 'what apps may do there follows from the access that is declared' }]
        : [],
    );
    taken.value = { taken: came.taken, left: [...came.left, ...rights], broker };
  });
const many = (n: number) => `${n} ${n === 1 ? 'difference' : 'differences'}`;
</script>

<template>
  <div class="drift" data-testid="drift">
    <p>
      <template v-if="!drift"
        ><span class="soft">It was not compared yet with what was applied.</span></template
      >
      <span v-else-if="count === 0" class="soft"
        >All is as it was applied, {{ ago(drift.at, now) }} ago.</span
      >
      <button v-else class="plain link warning" :aria-expanded="open" @click="open = !open">
        {{ count }} {{ count === 1 ? 'difference' : 'differences' }} from what was applied
      </button>
      <button class="plain link" :disabled="busy" @click="compare">compare now</button>
    </p>
    <p v-if="trouble" class="error" role="alert">{{ trouble }}</p>
    <template v-if="drift && open">
      <p v-for="each in drift.away" :key="each.broker" class="error">{{ each.broker }}: {{ each.why }}</p>
      <div v-for="each in byBroker" :key="each.broker">
        <h3>
          {{ each.broker }} <span class="soft">against r{{ each.revision }}</span
          >&nbsp;
          <button
            v-if="workspace.canOperate && each.canPutBack"
            class="plain link"
            :disabled="busy"
            data-testid="put-back"
            @click="putBack(each.broker, each.revision)"
          >
            put it back: plan a rollout …
          </button>
          <button
            v-if="workspace.canWrite"
            class="plain link"
            :disabled="busy"
            data-testid="take-in"
            @click="takeIn(each.broker, each.differences)"
          >
            take it in: write it into the draft
          </button>
        </h3>
        <ul>
          <li v-for="(difference, i) in each.differences" :key="i" data-testid="difference">
            <span :class="difference.putBack === null ? 'soft' : 'warning'">{{ difference.kind }}</span>
            <span><Said :text="difference.what" /></span>
            <button
              v-if="workspace.canWrite && each.differences.length > 1"
              class="plain link"
              :disabled="busy"
              @click="takeIn(each.broker, [difference])"
            >
              take this in
            </button>
          </li>
        </ul>
        <div v-if="taken?.broker === each.broker" role="status" data-testid="taken-in">
          <p v-if="taken.taken">
            The draft says {{ many(taken.taken) }} now; undo takes that back.
            <router-link :to="{ name: 'compare', params: route.params }">Compare it</router-link>
          </p>
          <p v-for="left in taken.left" :key="left.what" class="warning">
            <span class="mono">{{ left.what }}</span> was not taken in: <Said :text="left.why" />
          </p>
        </div>
      </div>
      <p v-if="drift.more" class="soft">{{ drift.more }} more are not told.</p>
    </template>
  </div>
</template>

<style scoped>
.drift {
  margin: 6px 0;
}
p {
  margin: 2px 0;
}
h3 {
  margin: 6px 0 2px;
  font: 600 13px/1.5 var(--mono);
}
h3 .link {
  font: 400 13px/1.5 var(--face);
}
ul {
  margin: 0;
  padding: 0;
  list-style: none;
}
li {
  display: grid;
  grid-template-columns: 70px 1fr auto;
  padding: 2px 0;
  border-top: 1px solid var(--hairline);
  overflow-wrap: anywhere;
}
.mono {
  font-family: var(--mono);
}
.link {
  margin-right: 12px;
  color: var(--accent);
  text-decoration: underline;
}
.link.warning {
  color: var(--warning);
}
</style>
