<script setup lang="ts">
import { ElButton } from 'element-plus';
import { computed, ref, shallowRef, watch } from 'vue';
import { useRouter } from 'vue-router';
import { api, type Places, type Target, type Tried as TriedLine } from '../../api.ts';
import Said from '../../parts/Said.vue';
import Tried from './Tried.vue';

/** The brokers that are connected: tried out, removed; and those that are declared and are not. */
const props = defineProps<{ slug: string; targets: readonly Target[] }>();
const emit = defineEmits<{ changed: [] }>();
const router = useRouter();
const places = shallowRef<Places>();
const tried = ref<Record<number, TriedLine[]>>({});
const removing = ref(0);
const busy = ref(0);
const trouble = ref('');

watch(
  () => [props.slug, props.targets] as const,
  async ([slug]) => (places.value = await api.places(slug).catch(() => undefined)),
  { immediate: true },
);
/** Of each environment that has targets, the declared brokers that have none there. */
const missing = computed(() =>
  [...new Set(props.targets.map(({ environment }) => environment))].flatMap((environment) => {
    const there = props.targets.filter((each) => each.environment === environment);
    const brokers = (places.value?.all ?? []).filter((id) => !there.some(({ broker }) => broker === id));
    return brokers.length ? [{ environment, brokers }] : [];
  }),
);

async function attempt(id: number, what: () => Promise<unknown>) {
  busy.value = id;
  trouble.value = '';
  try {
    await what();
  } catch (error) {
    trouble.value = (error as Error).message;
  } finally {
    busy.value = 0;
  }
}
const test = ({ id }: Target) =>
  attempt(id, async () => {
    tried.value = { ...tried.value, [id]: (await api.tryTarget(props.slug, { target: id })).tried };
  });
/** What a broker has, read and not begun with yet. */
const taken = shallowRef<Awaited<ReturnType<typeof api.takenIn>> & { id: number }>();
/** The target of which is asked what is to be taken in. */
const asking = ref(0);
const withRights = ref(false);
const withTypes = ref(false);
/** So many messages of each store are looked at. */
const SAMPLE = 20;
const takeIn = ({ id }: Target) =>
  attempt(id, async () => {
    const wished = {
      ...(withRights.value ? { rights: true } : {}),
      ...(withTypes.value ? { sample: SAMPLE } : {}),
    };
    taken.value = { id, ...(await api.takenIn(props.slug, id, wished)) };
    asking.value = 0;
  });
const begin = ({ id, broker }: Target) =>
  attempt(id, async () => {
    const { slug } = await api.takeIn(`${broker} as it is`, taken.value!.documents);
    await router.push({ name: 'fan-out', params: { slug } });
  });
const remove = ({ id }: Target) =>
  attempt(id, async () => {
    removing.value = 0;
    await api.removeTarget(props.slug, id);
    emit('changed');
  });
</script>

<template>
  <div class="targets" role="region" aria-label="connected brokers">
    <h2>Connected</h2>
    <ul>
      <li v-for="each in targets" :key="each.id" data-testid="target">
        {{ each.environment }} · {{ each.broker }}
        <div v-if="removing === each.id" class="does">
          <button class="plain link error" @click="remove(each)">disconnect it</button>
          <button class="plain link" @click="removing = 0">keep</button>
        </div>
        <div v-else class="does">
          <button class="plain link" :disabled="busy !== 0" @click="test(each)">
            {{ busy === each.id ? 'trying …' : 'test' }}
          </button>
          <button
            class="plain link"
            :disabled="busy !== 0"
            :aria-expanded="asking === each.id"
            @click="asking = asking === each.id ? 0 : each.id"
          >
            take in …
          </button>
          <button class="plain link" @click="removing = each.id">disconnect …</button>
        </div>
        <p v-if="removing === each.id" class="soft">
          Its addresses are forgotten here. Nothing on the broker is touched, and the record of its rollouts
          stays.
        </p>
        <form v-if="asking === each.id" class="taken" data-testid="take-in" @submit.prevent="takeIn(each)">
          <p>
            What it has is read and written as documents of a new topology: what is declared there, and who
            takes now. Nothing is changed there.
          </p>
          <label v-if="each.kind === 'amqp'"
            ><input v-model="withRights" type="checkbox" /> what its users may do, too: the broker is declared
            as controlled then</label
          >
          <label
            ><input v-model="withTypes" type="checkbox" /> guess the types of messages: up to {{ SAMPLE }} of
            each store are looked at{{
              each.kind === 'amqp'
                ? '. Each is taken for a moment and put back in its place, marked as redelivered'
                : ', without taking any'
            }}</label
          >
          <div>
            <el-button native-type="submit" :loading="busy === each.id">Read it</el-button>
            <button type="button" class="plain link" @click="asking = 0">no</button>
          </div>
        </form>
        <div v-if="taken?.id === each.id" class="taken" data-testid="taken-in">
          <p>
            What it has, as {{ taken.documents.length }}
            {{ taken.documents.length === 1 ? 'document' : 'documents' }} of a new topology. Nothing was
            changed there{{ taken.looked ? `; ${taken.looked} messages were looked at` : '' }}.
          </p>
          <ul>
            <li v-for="(words, i) in taken.unsaid" :key="i" class="soft"><Said :text="words" /></li>
          </ul>
          <button class="plain link" @click="begin(each)">begin a topology with it</button>
          <button class="plain link" @click="taken = undefined">no</button>
        </div>
        <Tried v-if="tried[each.id]" :tried="tried[each.id]!" />
      </li>
    </ul>
    <p v-for="each in missing" :key="each.environment" class="soft" data-testid="without-target">
      In {{ each.environment }} nothing is connected for {{ each.brokers.join(', ') }}.
    </p>
    <p v-if="trouble" class="error" role="alert"><Said :text="trouble" /></p>
  </div>
</template>

<style scoped>
.targets,
ul {
  display: grid;
  gap: 6px;
}
.does {
  display: flex;
  gap: 10px;
}
.taken .link {
  margin-right: 8px;
}
.link {
  font-size: 13px;
  color: var(--accent);
  text-decoration: underline;
}
label {
  display: block;
}
.link.error {
  color: var(--error);
}
</style>
