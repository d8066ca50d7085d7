<script setup lang="ts">
import { ElButton, ElInput } from 'element-plus';
import { computed, onBeforeUnmount, ref, shallowRef, watch } from 'vue';
import { api, type MessageSeen, type OperationEntry, type StoreSeen } from '../../api.ts';
import Compose from '../../parts/Compose.vue';
import FollowBar from '../../parts/FollowBar.vue';
import Choice from '../../parts/Choice.vue';
import { useFocus } from '../../stores/focus.ts';
import { useAttempt } from '../../stores/attempt.ts';
import { useWorkspace } from '../../stores/workspace.ts';
import Letter from './Letter.vue';

/** The messages of one store: looked at, moved or destroyed; and a message sent, wherever it enters. */
const props = defineProps<{
  slug: string;
  environment: string;
  store: StoreSeen;
  /** The stores of all brokers, its own among them. */
  stores: readonly Pick<StoreSeen, 'broker' | 'name'>[];
}>();
const workspace = useWorkspace();
const focus = useFocus();
const MOST = 20;
const AGAIN_MS = 700;

const found = shallowRef<{ messages: MessageSeen[]; waiting: number; said: string }>();
const open = ref(new Set<number>());
const { busy, trouble, attempt } = useAttempt();
const look = () =>
  attempt(async () => {
    const { broker, name } = props.store;
    open.value = new Set();
    found.value = await api.messages(props.slug, props.environment, broker, name, MOST);
  });
function toggle(place: number): void {
  if (!open.value.delete(place)) open.value.add(place);
}

/** Whether the oldest is to be taken, which is not agreed to yet; and the one that was. */
const taking = ref(false);
const taken = shallowRef<MessageSeen | null>();
const take = () =>
  attempt(async () => {
    const { broker, name } = props.store;
    taken.value = (await api.takeMessage(props.slug, props.environment, broker, name)).message;
    taking.value = false;
    found.value = undefined;
  });

/** What is to be done with its messages, not agreed to yet. */
const what = ref<'empty' | 'move' | 'copy'>('empty');
const doing = ref(false);
/** Where they go, as `broker/name`; '' for where each was given up. */
const to = ref('');
/** The brokers from and to which messages are moved: those that take any message, whoever sends it. */
const amqp = shallowRef<ReadonlySet<string>>(new Set());
async function decide() {
  doing.value = !doing.value;
  if (!doing.value || amqp.value.size) return;
  const targets = await api.targets(props.slug).catch(() => []);
  amqp.value = new Set(
    targets.flatMap(({ environment, kind, broker }) =>
      environment === props.environment && kind === 'amqp' ? [broker] : [],
    ),
  );
}
/** The other stores of its broker, and then those of others. */
const goals = computed(() => {
  const { broker, name } = props.store;
  const isGoal = (each: Pick<StoreSeen, 'broker' | 'name'>) =>
    each.broker === broker ? each.name !== name : amqp.value.has(broker) && amqp.value.has(each.broker);
  const all = props.stores.filter(isGoal);
  return [
    ...all.filter((each) => each.broker === broker).map((each) => ({ ...each, label: each.name })),
    ...all
      .filter((each) => each.broker !== broker)
      .map((each) => ({ ...each, label: `${each.broker}/${each.name}` })),
  ].map((each) => ({ ...each, value: `${each.broker}/${each.name}` }));
});
const where = ref('');
const most = ref('');
const operations = shallowRef<readonly OperationEntry[]>([]);
const there = computed(() => props.store.waiting + props.store.delayed);
const count = computed(() => {
  const asked = Number(most.value);
  return Math.min(there.value, most.value.trim() !== '' && asked > 0 ? asked : there.value, 100_000);
});
const many = (n: number) => `${n.toLocaleString('en')} ${n === 1 ? 'message' : 'messages'}`;
const willDo = computed(() => {
  const these = `${where.value.trim() ? 'of ' : ''}the oldest ${many(count.value)} in ${props.store.broker}/${props.store.name}${where.value.trim() ? `, those with ${where.value.trim()}` : ''}`;
  const goal = to.value ? `to ${to.value}` : 'each back to where it was given up';
  if (what.value === 'empty') return `This destroys ${these}, for good.`;
  return what.value === 'move'
    ? `This moves ${these} ${goal}.`
    : `This puts copies ${goal}: ${these}; they stay here, too.`;
});
const list = async () => {
  operations.value = await api.operations(props.slug, props.environment).catch(() => operations.value);
};
const begin = () =>
  attempt(async () => {
    const { broker, name } = props.store;
    const goal = goals.value.find(({ value }) => value === to.value);
    await api.operate(props.slug, props.environment, {
      what: what.value,
      broker,
      store: name,
      agreed: count.value,
      ...(what.value === 'empty' ? {} : { to: goal?.name ?? '' }),
      ...(what.value === 'empty' || !goal || goal.broker === broker ? {} : { toBroker: goal.broker }),
      ...(where.value.trim() ? { where: where.value.trim() } : {}),
    });
    doing.value = false;
    found.value = undefined;
    await list();
  });
const stop = (id: number) => attempt(() => api.stopOperation(props.slug, props.environment, id));
const running = computed(() => operations.value.some(({ state }) => state === 'running'));
const timer = setInterval(() => running.value && !document.hidden && void list(), AGAIN_MS);
onBeforeUnmount(() => clearInterval(timer));
const own = computed(() =>
  operations.value
    .filter(({ broker, store }) => broker === props.store.broker && store === props.store.name)
    .slice(0, 5),
);
const WORDS = { empty: 'destroyed', move: 'moved', copy: 'copied' } as const;

const sending = ref(false);
const sent = ref('');
const publish = computed(() => focus.publishes[0]);
const send = () =>
  attempt(async () => {
    const { message } = focus;
    if (!publish.value || !message?.type) return;
    const { type, ...sample } = message;
    const { app, to: entry, via } = publish.value;
    sent.value = '';
    const how = await api.sendMessage(props.slug, props.environment, {
      app,
      message: type,
      to: entry,
      via: via === 'mqtt' ? 'mqtt' : 'amqp',
      sample,
    });
    sent.value =
      how.refused !== null
        ? `It was not taken: ${how.refused}`
        : how.returned
          ? 'It was taken, and no store wanted it.'
          : `It was taken; by the trace it comes to ${how.predicted.join(', ') || 'no store'}.`;
    if (how.remarks.length) sent.value += ` (${how.remarks.join('; ')})`;
  });

watch(
  () => [props.environment, props.store.broker, props.store.name].join(' '),
  () => {
    [taking.value, taken.value, sent.value] = [false, undefined, ''];
    amqp.value = new Set();
    [found.value, trouble.value, doing.value, to.value, where.value, most.value] = [
      undefined,
      '',
      false,
      '',
      '',
      '',
    ];
    void list();
  },
  { immediate: true },
);
</script>

<template>
  <section class="letters" aria-label="messages">
    <p v-if="!workspace.canOperate" class="soft">
      Operators and owners can look at its messages, send, and move them.
    </p>
    <template v-else>
      <div class="acts">
        <el-button :loading="busy" data-testid="look" @click="look">Look at its messages</el-button>
        <el-button :disabled="there === 0" data-testid="take-open" @click="taking = !taking"
          >Take the oldest …</el-button
        >
        <el-button :disabled="there === 0" data-testid="act" @click="decide"
          >Move or destroy them …</el-button
        >
        <el-button data-testid="send-open" @click="sending = !sending">Send one …</el-button>
      </div>
      <p v-if="trouble" class="error" role="alert">{{ trouble }}</p>
      <div v-if="taking" class="form" data-testid="take-form">
        <p class="error">
          This takes the oldest message out of {{ store.broker }}/{{ store.name }} for good, and shows it here
          once, as far as you may read it.
        </p>
        <el-button type="danger" :loading="busy" data-testid="take" @click="take">Take it</el-button>
        <button type="button" class="plain link" @click="taking = false">leave it</button>
      </div>
      <section v-if="taken !== undefined" class="form" data-testid="taken" aria-label="the message taken">
        <p>
          {{
            taken
              ? `It is out of ${store.name}, and nowhere but here.`
              : 'None waits there that may be taken.'
          }}
          <button type="button" class="plain link" @click="taken = undefined">put it away</button>
        </p>
        <Letter v-if="taken" :message="taken" />
      </section>
      <form v-if="doing" class="form" data-testid="operate" @submit.prevent="begin">
        <div class="row">
          <Choice
            v-model="what"
            words="do"
            called="what is done"
            class="choice"
            :options="[
              { value: 'empty', label: 'destroy them' },
              { value: 'move', label: 'move them' },
              { value: 'copy', label: 'copy them' },
            ]"
          />
          <Choice
            v-if="what !== 'empty'"
            v-model="to"
            words="to"
            called="where to"
            class="choice"
            :options="[{ value: '', label: 'where each was given up' }, ...goals]"
          />
        </div>
        <label
          >only those with
          <el-input
            v-model="where"
            placeholder="level > 2 AND area = 'north'"
            aria-label="condition"
            class="where"
        /></label>
        <label
          >at most <el-input v-model="most" inputmode="numeric" aria-label="at most" class="most"
        /></label>
        <p :class="what === 'empty' ? 'error' : ''">{{ willDo }}</p>
        <el-button
          :type="what === 'empty' ? 'danger' : 'primary'"
          native-type="submit"
          :loading="busy"
          data-testid="agree"
        >
          {{ what === 'empty' ? 'Destroy' : what === 'move' ? 'Move' : 'Copy' }} up to {{ many(count) }}
        </el-button>
        <button type="button" class="plain link" @click="doing = false">leave them</button>
      </form>
      <div v-if="sending" class="form" data-testid="send-form">
        <FollowBar class="follow" />
        <details v-if="focus.type" class="fields">
          <summary>{{ focus.edited ? 'a message of your own' : 'change its fields' }}</summary>
          <Compose />
        </details>
        <p class="soft">A real message: whoever takes it acts on it.</p>
        <el-button type="primary" :disabled="!publish" :loading="busy" data-testid="send" @click="send"
          >Send it{{ publish ? ` to ${publish.to} as ${publish.app}` : '' }}</el-button
        >
        <p v-if="sent" role="status">{{ sent }}</p>
      </div>
      <ul v-if="own.length" class="operations">
        <li v-for="each in own" :key="each.id" data-testid="operation">
          {{ each.done.toLocaleString('en') }} {{ WORDS[each.what]
          }}{{ each.to ? ` to ${each.toBroker ? `${each.toBroker}/` : ''}${each.to}` : '' }}
          <span class="soft"
            >of {{ each.agreed.toLocaleString('en') }} agreed to, by {{ each.by
            }}{{ each.error ? ';' : '' }}</span
          >
          <template v-if="each.state === 'running'">
            <progress :value="each.looked" :max="each.agreed" />
            <button class="plain link" @click="stop(each.id)">stop</button>
          </template>
          <span
            v-else-if="each.state !== 'done' || each.error"
            :class="each.state === 'failed' ? 'error' : 'soft'"
            >{{ each.state === 'done' ? '' : each.state }} {{ each.error ?? '' }}</span
          >
        </li>
      </ul>
      <template v-if="found">
        <p class="soft">
          {{
            found.messages.length
              ? `The oldest ${found.messages.length} of ${found.waiting.toLocaleString('en')}.`
              : ''
          }}
          {{ found.said }}
        </p>
        <ol>
          <li v-for="each in found.messages" :key="each.place">
            <button
              class="plain head"
              :aria-expanded="open.has(each.place)"
              data-testid="message"
              @click="toggle(each.place)"
            >
              <span class="soft">{{ each.place }}</span>
              <b>{{ each.types.find(({ remarks }) => remarks.length === 0)?.type ?? 'no declared type' }}</b>
              <span>{{
                each.key ||
                Object.entries(each.headers)
                  .filter(([, value]) => typeof value !== 'object')
                  .slice(0, 3)
                  .map(([name, value]) => `${name}=${value}`)
                  .join(' ')
              }}</span>
              <span v-if="each.deaths[0]" class="error">{{ each.deaths[0].why }}</span>
              <span v-if="each.inHand" class="soft">in hand</span>
            </button>
            <Letter v-if="open.has(each.place)" :message="each" />
          </li>
        </ol>
      </template>
    </template>
  </section>
</template>

<style scoped>
.letters {
  margin-top: 12px;
}
.acts,
.row {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
}
.acts :deep(.el-button + .el-button) {
  margin-left: 0;
}
.form {
  margin: 8px 0;
  padding: 8px 10px;
  border: 1px solid var(--hairline);
  background: var(--sheet);
}
.follow {
  flex-wrap: wrap;
}
.fields summary {
  margin-top: 6px;
  cursor: pointer;
  color: var(--accent);
}
.form > label {
  display: flex;
  align-items: center;
  gap: 8px;
  margin-top: 6px;
}
.where {
  flex: 1;
  font-family: var(--mono);
}
.most {
  width: 90px;
}
.choice :deep(.el-select) {
  width: 170px;
}
p {
  margin: 6px 0;
}
ol,
.operations {
  margin: 6px 0 0;
  padding: 0;
  list-style: none;
}
ol li {
  border-top: 1px solid var(--hairline);
}
.head {
  display: flex;
  gap: 10px;
  width: 100%;
  padding: 3px 0;
  text-align: left;
  font: 12px/1.6 var(--mono);
  color: inherit;
  overflow-wrap: anywhere;
}
.head:hover {
  background: var(--band);
}
.link {
  margin-left: 8px;
  color: var(--accent);
  text-decoration: underline;
}
</style>
