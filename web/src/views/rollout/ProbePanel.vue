<script setup lang="ts">
import { ElButton } from 'element-plus';
import { computed, ref } from 'vue';
import { api, type Probe, type Rollout } from '../../api.ts';
import FollowBar from '../../parts/FollowBar.vue';
import { useBench } from '../../stores/bench.ts';
import { useFocus } from '../../stores/focus.ts';

/** Sends a real message to the target and shows side by side where it should be and where it is. */
const props = defineProps<{ rollout: Rollout; slug: string }>();
const emit = defineEmits<{ probed: [probes: Probe[]] }>();
const bench = useBench();
const focus = useFocus();
const busy = ref(false);
const trouble = ref('');

/** The publishes that enter this rollout's broker by AMQP. */
const here = computed(() =>
  focus.publishes.filter(
    (publish) => publish.via !== 'mqtt' && publish.to.startsWith(`${props.rollout.broker}/`),
  ),
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
  const names = [...new Set([...Object.keys(predicted.queues), ...Object.keys(observed.queues)])].sort();
  return names.map((name) => {
    const said = predicted.queues[name] ?? 0;
    const unseen = observed.unseen.includes(name);
    const seen = unseen ? 'too long to look through' : String(observed.queues[name] ?? 0);
    return { name, said, seen, agrees: unseen || String(said) === seen };
  });
}
</script>

<template>
  <section class="probe" aria-label="probe">
    <h2>Prove it with a probe</h2>
    <p class="soft">
      A real message is published to {{ rollout.broker }} in {{ rollout.environment }}; its copies are found
      in the queues and removed again. Other messages stay where they are.
    </p>
    <FollowBar class="follow" />
    <p v-if="focus.type && here.length === 0" class="soft">
      {{ focus.publishes[0]?.app }} does not send this type to an entry of {{ rollout.broker }}; choose
      another.
    </p>
    <el-button type="primary" :loading="busy" :disabled="!bench.canWrite || here.length === 0" @click="send">
      Send a probe{{ here[0] ? ` to ${here[0].to}` : '' }}
    </el-button>
    <p v-if="trouble" class="error" role="alert">{{ trouble }}</p>
    <article v-for="probe in rollout.probes" :key="probe.id" data-testid="probe">
      <h3>
        <code>{{ probe.sent.type }}</code> to <code>{{ probe.sent.to }}</code> with key
        <code>{{ probe.sent.key }}</code>
      </h3>
      <p :class="probe.agrees ? 'good' : 'error'">
        {{
          probe.agrees ? 'It landed exactly where the trace says.' : 'It did not land where the trace says.'
        }}
        {{ probe.observed.returned ? 'No queue wanted it: the broker sent it back.' : '' }}
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
            <td class="number">{{ row.seen }} {{ row.agrees ? '' : '≠' }}</td>
          </tr>
        </tbody>
      </table>
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
