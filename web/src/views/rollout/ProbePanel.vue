<script setup lang="ts">
import { ElButton } from 'element-plus';
import { computed, ref } from 'vue';
import { api, type Probe, type Rollout } from '../../api.ts';
import FollowBar from '../../parts/FollowBar.vue';
import Said from '../../parts/Said.vue';
import { useWorkspace } from '../../stores/workspace.ts';
import { useFocus } from '../../stores/focus.ts';

/** Sends a real message to the target and shows side by side where it should be and where it is. */
const props = defineProps<{ rollout: Rollout; slug: string }>();
const emit = defineEmits<{ probed: [probes: Probe[]] }>();
const workspace = useWorkspace();
const focus = useFocus();
const busy = ref(false);
const trouble = ref('');

/** The publishes that enter this rollout's broker by AMQP. */
const here = computed(() =>
  focus.publishes.filter(
    (publish) => publish.via !== 'mqtt' && publish.to.startsWith(`${props.rollout.broker}/`),
  ),
);

/** Whether it enters there, but by MQTT. */
const byMqtt = computed(() =>
  focus.publishes.some(({ via, to }) => via === 'mqtt' && to.startsWith(props.rollout.broker)),
);

async function send() {
  const publish = here.value[0];
  const { message } = focus;
  if (!publish || !message?.type) return;
  busy.value = true;
  trouble.value = '';
  try {
    const { type, ...sample } = message;
    emit(
      'probed',
      await api.probe(props.slug, props.rollout.id, {
        app: publish.app,
        message: type,
        to: publish.to,
        sample,
      }),
    );
  } catch (error) {
    trouble.value = (error as Error).message;
  } finally {
    busy.value = false;
  }
}

function rows({ predicted, observed }: Probe) {
  const unseen = new Map(observed.unseen.map(({ queue, why }) => [queue, why]));
  const said = new Map(Object.entries(predicted.queues));
  const seen = new Map(Object.entries(observed.queues));
  return [...new Set([...said.keys(), ...seen.keys()])].sort().map((name) => {
    const why = unseen.get(name);
    const copies = seen.get(name) ?? 0;
    return {
      name,
      said: said.get(name) ?? 0,
      seen: why ? 'not seen' : String(copies),
      why,
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
    <h2>Prove it with a probe</h2>
    <p class="soft">
      A real message is published to {{ rollout.broker }} in {{ rollout.environment }} and seen through queues
      of our own beside the real ones. No message is taken or put back. Whoever takes from the real queues
      meets it like any other; what nobody takes goes by itself after 20 seconds, unless it would be a dead
      letter then.
    </p>
    <FollowBar class="follow" />
    <p v-if="focus.type && here.length === 0" class="soft">
      <template v-if="byMqtt">
        It enters {{ rollout.broker }} by MQTT; probes are sent by AMQP 0-9-1 alone, so this way cannot be
        proved here.
      </template>
      <template v-else>
        {{ focus.publishes[0]?.app }} does not send this type to an entry of {{ rollout.broker }}; choose
        another.
      </template>
    </p>
    <el-button
      type="primary"
      :loading="busy"
      :disabled="!workspace.canOperate || here.length === 0"
      @click="send"
    >
      Send a probe{{ here[0] ? ` to ${here[0].to}` : '' }}
    </el-button>
    <p v-if="trouble" class="error" role="alert"><Said :text="trouble" /></p>
    <article v-for="probe in rollout.probes" :key="probe.id" data-testid="probe">
      <h3>
        <code>{{ probe.sent.type }}</code> to <code>{{ probe.sent.to }}</code> with key
        <code>{{ probe.sent.key }}</code>
      </h3>
      <p :class="probe.agrees === null ? 'warning' : probe.agrees ? 'good' : 'error'">
        {{ outcome(probe) }}
        {{ probe.observed.returned ? 'No queue wanted it: the broker sent it back.' : '' }}
        {{ probe.observed.refused ? 'A queue that is full refused it.' : '' }}
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
            <th>queue</th>
            <th class="number">trace says</th>
            <th class="number">broker has</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in rows(probe)" :key="row.name" :class="{ differs: !row.agrees }">
            <td class="mono">{{ row.name }}</td>
            <td class="number">{{ row.said }}</td>
            <td class="number" :title="row.why">{{ row.seen }} {{ row.agrees ? '' : '≠' }}</td>
          </tr>
        </tbody>
      </table>
      <p v-for="row in rows(probe).filter(({ why }) => why)" :key="row.name" class="soft">
        <code>{{ row.name }}</code>: <Said :text="row.why ?? ''" />.
      </p>
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
.differs {
  color: var(--error);
}
</style>
