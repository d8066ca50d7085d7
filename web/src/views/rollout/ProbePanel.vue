<script setup lang="ts">
import { ElButton } from 'element-plus';
import { computed, ref, shallowRef } from 'vue';
import { api, type Probe, type ProbeCase, type Rollout, type RolloutEntry } from '../../api.ts';
import Compose from '../../parts/Compose.vue';
import FollowBar from '../../parts/FollowBar.vue';
import ProbeTable from './ProbeTable.vue';
import Choice from '../../parts/Choice.vue';
import Said from '../../parts/Said.vue';
import { useAttempt } from '../../stores/attempt.ts';
import { useWorkspace } from '../../stores/workspace.ts';
import { useFocus } from '../../stores/focus.ts';

/**
 * Sends a real message to the target and shows side by side where it should be and where it is: before a rollout
 * against what stands there, after it against what it was to do.
 */
const props = defineProps<{ rollout: Rollout; slug: string; list: readonly RolloutEntry[] }>();
const emit = defineEmits<{ probed: [probes: Probe[]] }>();
const workspace = useWorkspace();
const focus = useFocus();
const { busy, trouble, attempt } = useAttempt();

const before = computed(() => props.rollout.state === 'planned');
/** The publishes that enter this rollout's broker. */
const here = computed(() =>
  focus.publishes.filter(({ via, to }) =>
    // a spread is probed by its first member that is there
    via === 'mqtt'
      ? to === props.rollout.broker
      : !to.includes('/') || to.startsWith(`${props.rollout.broker}/`),
  ),
);
/** Of a set, how many are sent, and whether it goes on. */
const sending = ref<{ done: number; all: number; stop: boolean }>();
const setOf = ref<'samples' | 'classes'>('samples');
const newest = computed(() => props.rollout.probes.find(({ before: was }) => was === before.value));

async function send() {
  const publish = here.value[0];
  const { message } = focus;
  if (!publish || !message?.type) return;
  const { type, ...sample } = message;
  const via = publish.via === 'mqtt' ? 'mqtt' : 'amqp';
  await attempt(() => sendOne({ app: publish.app, message: type, to: publish.to, via, sample }));
}

async function sendOne(one: Parameters<typeof api.probe>[2], id = props.rollout.id) {
  emit('probed', await api.probe(props.slug, id, one));
}
/** Sends each message of a set, one after the other; what cannot be sent is told, and the others are. */
const sendSet = () =>
  attempt(async () => {
    const { cases, more } = await api.probeSet(props.slug, props.rollout.id, setOf.value);
    sending.value = { done: 0, all: cases.length, stop: false };
    const troubles: string[] = more ? [`${more} more are not in this set.`] : [];
    for (const { title, ...one } of cases) {
      if (sending.value.stop) break;
      await sendOne(one).catch((error: Error) => troubles.push(`${title}: ${error.message}`));
      sending.value = { ...sending.value, done: sending.value.done + 1 };
    }
    sending.value = undefined;
    trouble.value = troubles.slice(0, 5).join(' ');
  });
const stopSet = () => (sending.value = { ...sending.value!, stop: true });

/** The newest rollout that stands where something enters, in this environment. */
const rolloutFor = ({ to, via }: ProbeCase) => {
  const broker = via === 'mqtt' ? to : to.slice(0, to.indexOf('/'));
  return props.list.find(
    (each) =>
      each.environment === props.rollout.environment &&
      each.broker === broker &&
      each.state === 'applied' &&
      !each.tearsDown,
  );
};
/** What an app would send because of a probe is sent as a probe of its own, wherever it enters. */
const follow = (one: ProbeCase) =>
  attempt(async () => {
    const { title: _title, ...input } = one;
    const at = rolloutFor(one)!;
    const [made] = await api.probe(props.slug, at.id, input);
    if (made) followed.value = { ...followed.value, [JSON.stringify(input)]: made };
  });
const followed = shallowRef<Record<string, Probe>>({});
const cameOf = ({ title: _title, ...input }: ProbeCase) => followed.value[JSON.stringify(input)];

function rows({ predicted, observed }: Probe) {
  const unseen = new Map(observed.unseen.map(({ queue, why }) => [queue, why]));
  const said = new Map(Object.entries(predicted.queues));
  const seen = new Map(Object.entries(observed.queues));
  const times = new Map(Object.entries(observed.times ?? {}));
  return [...new Set([...said.keys(), ...seen.keys()])].sort().map((name) => {
    const why = unseen.get(name);
    const copies = seen.get(name) ?? 0;
    return {
      name,
      said: said.get(name) ?? 0,
      seen: why ? 'not seen' : String(copies),
      why,
      ms: times.get(name),
      agrees: why !== undefined || (said.get(name) ?? 0) === copies,
    };
  });
}

function outcome({ agrees }: Probe): string {
  if (agrees === null) return 'What was seen of it is as the trace says; not all could be seen.';
  return agrees ? 'It landed exactly where the trace says.' : 'It did not land where the trace says.';
}
</script>

<template>
  <section class="probe" aria-label="probe">
    <h2>{{ before ? 'Probe what stands there, before it is changed' : 'Prove it with a probe' }}</h2>
    <p class="soft">
      A real message is published to {{ rollout.broker }} in {{ rollout.environment }} and seen through queues
      of our own beside the real ones, where links carry it too. No message is taken or put back. Whoever
      takes from the real queues meets it like any other.
    </p>
    <FollowBar class="follow" />
    <p v-if="focus.type && here.length === 0" class="soft">
      {{ focus.publishes[0]?.app }} does not send this type to an entry of {{ rollout.broker }}; choose
      another.
    </p>
    <details v-else-if="focus.type" class="fields" data-testid="probe-fields">
      <summary>{{ focus.edited ? 'a message of your own' : 'change its fields' }}</summary>
      <Compose />
    </details>
    <el-button
      type="primary"
      :loading="busy"
      :disabled="!workspace.canOperate || here.length === 0"
      @click="send"
    >
      Send a probe{{ here[0] ? ` to ${here[0].to}` : '' }}
    </el-button>
    <div class="set">
      <Choice
        v-model="setOf"
        words="or a set of probes"
        called="set of probes"
        :options="[
          { value: 'samples', label: 'every sample and example' },
          { value: 'classes', label: 'one of each class of messages' },
        ]"
      />
      <el-button :disabled="!workspace.canOperate || busy" @click="sendSet">Send the set</el-button>
    </div>
    <p v-if="sending" role="status" class="soft sending">
      <progress
        :value="sending.done"
        :max="sending.all"
        :aria-label="`${sending.done} of ${sending.all} probes`"
      />
      {{ sending.done }} of {{ sending.all }}
      <button class="plain link" :disabled="sending.stop" @click="stopSet">stop</button>
    </p>
    <p v-if="trouble" class="error" role="alert"><Said :text="trouble" /></p>
    <ProbeTable v-if="rollout.probes.length > 1" :probes="rollout.probes" />
    <article v-for="probe in newest ? [newest] : []" :key="probe.id" data-testid="probe">
      <h3>
        <code>{{ probe.sent.type }}</code> to <code>{{ probe.sent.to }}</code> with key
        <code>{{ probe.sent.key }}</code>
      </h3>
      <p :class="probe.agrees === null ? 'warning' : probe.agrees ? 'good' : 'error'">
        {{ outcome(probe) }}
        {{ probe.observed.returned ? 'No queue wanted it: the broker sent it back.' : '' }}
        {{
          probe.observed.why
            ? `It was refused: ${probe.observed.why}.`
            : probe.observed.refused
              ? 'A queue that is full refused it.'
              : ''
        }}
      </p>
      <p v-for="remark in probe.sent.remarks ?? []" :key="remark" class="warning">
        Not quite a <code>{{ probe.sent.type }}</code>: <Said :text="remark" />.
      </p>
      <p v-if="probe.observed.stays.length" class="soft">
        Its copies stay in {{ probe.observed.stays.join(', ') }} until somebody takes them: going by
        themselves they would be dead letters.
      </p>
      <table v-if="rows(probe).length">
        <thead>
          <tr>
            <th>store</th>
            <th class="number">trace says</th>
            <th class="number">broker has</th>
            <th class="number">after</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in rows(probe)" :key="row.name" :class="{ differs: !row.agrees }">
            <td class="mono">{{ row.name }}</td>
            <td class="number">{{ row.said }}</td>
            <td class="number" :title="row.why">{{ row.seen }} {{ row.agrees ? '' : '≠' }}</td>
            <td class="number soft">{{ row.ms === undefined ? '' : `${row.ms} ms` }}</td>
          </tr>
        </tbody>
      </table>
      <p v-for="row in rows(probe).filter(({ why }) => why)" :key="row.name" class="soft">
        <code>{{ row.name }}</code>: <Said :text="row.why ?? ''" />.
      </p>
      <template v-if="probe.sent.follows?.length">
        <p class="soft">What apps would send because of it, no probe makes them do:</p>
        <p v-for="(one, i) in probe.sent.follows" :key="i" data-testid="follows">
          {{ one.app }} sends <code>{{ one.message }}</code> to <code>{{ one.to }}</code>
          <span v-if="cameOf(one)" :class="cameOf(one)!.agrees === false ? 'error' : 'good'">{{
            outcome(cameOf(one)!)
          }}</span>
          <button
            v-else-if="rolloutFor(one) && workspace.canOperate"
            class="plain link"
            :disabled="busy"
            @click="follow(one)"
          >
            probe that too
          </button>
          <span v-else class="soft">nothing stands there yet</span>
        </p>
      </template>
    </article>
  </section>
</template>

<style scoped>
.probe {
  padding: 12px 14px;
  border-left: 1px solid var(--hairline);
  display: grid;
  gap: 10px;
  align-content: start;
  justify-items: start;
  overflow: auto;
}
.follow {
  flex-wrap: wrap;
}
.fields {
  width: 100%;
}
.fields summary {
  cursor: pointer;
  color: var(--accent);
}
article {
  width: 100%;
  padding-top: 8px;
  border-top: 1px solid var(--hairline);
}
h3 {
  font-size: 14px;
  font-weight: 400;
}
table {
  width: 100%;
  border-collapse: collapse;
}
th,
td {
  text-align: left;
  padding: 3px 8px 3px 0;
  border-bottom: 1px solid var(--hairline);
}
.number {
  text-align: right;
}
.set {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: end;
}
.set > :first-child {
  width: 220px;
}
.sending {
  display: flex;
  gap: 8px;
  align-items: center;
}
.link {
  color: var(--accent);
  text-decoration: underline;
}
.differs {
  color: var(--error);
}
</style>
