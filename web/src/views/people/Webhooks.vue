<script setup lang="ts">
import { ElButton, ElInput } from 'element-plus';
import { ref, shallowRef, watch } from 'vue';
import { EVENTS, type EventType } from '@vondle/api/events';
import { api, type Webhook } from '../../api.ts';
import { useLive } from '../../stores/live.ts';

/** Who else is told of what goes on, by HTTP. For owners. */
const props = defineProps<{ slug: string }>();
const live = useLive();

const hooks = shallowRef<Webhook[]>([]);
const adding = ref(false);
const url = ref('');
const token = ref('');
const wanted = ref<EventType[]>(['vondle.proposal.opened', 'vondle.revision.saved']);
const busy = ref(false);
const trouble = ref('');
const removing = ref(0);
/** What was answered to a trial, by webhook. */
const tried = ref<Record<number, string>>({});
const when = new Intl.DateTimeFormat('en', { dateStyle: 'medium', timeStyle: 'short' });

async function look() {
  hooks.value = await api.webhooks(props.slug);
}
async function attempt(what: () => Promise<unknown>) {
  busy.value = true;
  trouble.value = '';
  try {
    await what();
    await look();
  } catch (error) {
    trouble.value = (error as Error).message;
  } finally {
    busy.value = false;
  }
}
watch([() => props.slug, () => live.state], () => void attempt(async () => undefined), { immediate: true });

const add = () =>
  attempt(async () => {
    const body = {
      url: url.value.trim(),
      events: wanted.value,
      ...(token.value ? { token: token.value } : {}),
    };
    await api.addWebhook(props.slug, body);
    adding.value = false;
    url.value = token.value = '';
  });
const trial = ({ id }: Webhook) =>
  attempt(async () => {
    const { taken, said } = await api.tryWebhook(props.slug, id);
    tried.value = { ...tried.value, [id]: `${taken ? '✓' : '✕'} ${said}` };
  });
const remove = ({ id }: Webhook) =>
  attempt(async () => {
    removing.value = 0;
    await api.removeWebhook(props.slug, id);
  });

function stands({ endedAt, last, waiting }: Webhook): string {
  if (endedAt) return `told no more since ${when.format(new Date(endedAt))}: ${last?.said ?? 'it is gone'}`;
  if (!last) return 'nothing to tell yet';
  const so = last.outcome === 'taken' ? 'taken' : (last.said ?? 'on its way');
  return `last: ${EVENTS[last.type as EventType] ?? last.type}, ${so}${waiting > 1 ? `; ${waiting} wait` : ''}`;
}
</script>

<template>
  <section aria-label="webhooks">
    <h2>Tell others</h2>
    <p class="soft">
      A server of yours is told by HTTP when something happens here, as CloudEvents 1.0, until it takes each.
    </p>
    <p v-if="trouble" class="error" role="alert">{{ trouble }}</p>
    <table v-if="hooks.length" class="listing">
      <tbody>
        <tr v-for="each in hooks" :key="each.id" data-testid="webhook">
          <td>
            <span class="mono url">{{ each.url }}</span>
            <div class="soft">
              {{ each.events.map((type) => EVENTS[type as EventType] ?? type).join(', ') }}
            </div>
            <div :class="each.endedAt ? 'error' : 'soft'" data-testid="webhook-stands">
              {{ stands(each) }}
            </div>
            <div v-if="tried[each.id]" role="status">{{ tried[each.id] }}</div>
          </td>
          <td class="act">
            <template v-if="removing === each.id">
              <button class="plain link error" @click="remove(each)">tell it no more</button>
              <button class="plain link" @click="removing = 0">keep</button>
            </template>
            <template v-else>
              <button class="plain link" :disabled="busy" @click="trial(each)">try it</button>
              <button class="plain link" @click="removing = each.id">remove …</button>
            </template>
          </td>
        </tr>
      </tbody>
    </table>
    <el-button v-if="!adding" @click="adding = true">Add an address</el-button>
    <form v-else class="adding" @submit.prevent="add">
      <label
        >its address <el-input v-model="url" name="webhook" placeholder="https://" maxlength="1000"
      /></label>
      <label
        >a token that it knows us by, if it wants one
        <el-input v-model="token" name="webhook-token" type="password" autocomplete="off" maxlength="500" />
      </label>
      <fieldset>
        <legend>told when</legend>
        <label v-for="(words, type) in EVENTS" :key="type" class="one">
          <input v-model="wanted" type="checkbox" :value="type" /> {{ words }}
        </label>
      </fieldset>
      <p class="soft">
        It is asked first: it has to answer OPTIONS with <code>WebHook-Allowed-Origin</code>.
      </p>
      <div>
        <el-button
          type="primary"
          native-type="submit"
          :loading="busy"
          :disabled="!url.trim() || !wanted.length"
          >Ask it and add it</el-button
        >
        <el-button @click="adding = false">Not now</el-button>
      </div>
    </form>
  </section>
</template>

<style scoped>
.url {
  overflow-wrap: anywhere;
}
.adding {
  width: min(520px, 100%);
  display: grid;
  gap: 10px;
}
.adding > label {
  display: grid;
  gap: 2px;
  font-size: 13px;
  color: var(--soft);
}
fieldset {
  margin: 0;
  padding: 6px 12px 10px;
  border: 1px solid var(--hairline);
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 4px 12px;
}
legend {
  padding: 0 4px;
  font-size: 13px;
  color: var(--soft);
}
.one {
  display: flex;
  align-items: baseline;
  gap: 6px;
}
</style>
