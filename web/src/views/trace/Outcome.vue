<script setup lang="ts">
import type { DeadLetterReason } from '@vondle/core/routing';
import type { Message } from '@vondle/core/conditions';
import { ElButton, ElInput, ElOption, ElSelect } from 'element-plus';
import { ref, watch } from 'vue';
import { useRouter } from 'vue-router';
import Said from '../../parts/Said.vue';
import WhyNot from '../../parts/WhyNot.vue';
import { useWorkspace } from '../../stores/workspace.ts';
import { useFocus } from '../../stores/focus.ts';
import { core } from '../../workers/client.ts';
import type { Edits, FollowView } from '../../workers/views.ts';
import { showInText } from '../show.ts';
import Ladder from './Ladder.vue';

/** What became of the followed message, and what it would do when a store gives it up. */
const workspace = useWorkspace();
const focus = useFocus();
const router = useRouter();

/** Copies followed on past a store that gives them up. */
const on = ref<{ store: string; reason: DeadLetterReason; view: FollowView }[]>([]);
watch(
  () => focus.followed,
  () => (on.value = []),
);
const WORDS: Record<DeadLetterReason, string> = {
  expired: 'it expires',
  rejected: 'it is rejected',
  overflow: 'the store is full',
  'too many deliveries': 'it was tried too often',
};

async function goOn(rest: FollowView['rests'][number], reason: DeadLetterReason) {
  const message = JSON.parse(JSON.stringify(rest.message)) as Message;
  const view = await core.followGivenUp(rest.node, message, reason);
  on.value = [...on.value, { store: rest.name, reason, view }];
}

const making = ref<'sample' | 'expectation'>();
const name = ref('');
const group = ref('');
const said = ref('');
const trouble = ref('');

function begin(what: 'sample' | 'expectation') {
  making.value = making.value === what ? undefined : what;
  trouble.value = '';
  said.value = '';
  const sample = focus.edited ? '' : (focus.sample?.name ?? '');
  const stores = [...new Set(focus.followed?.rests.map((rest) => rest.name))];
  name.value =
    what === 'sample' ? sample : `${sample || focus.type!.id} reaches ${stores.join(', ') || 'nobody'}`;
}

async function make() {
  const [first] = focus.sendings;
  if (!first || name.value.trim() === '') return;
  const as = {
    name: name.value.trim(),
    from: first.from,
    ...(group.value.trim() ? { group: group.value.trim() } : {}),
  };
  const sendings = focus.sendings;
  const made: Edits = await workspace.edit(() =>
    making.value === 'sample' ? core.keep(first.message, as) : core.expect(sendings, as.name),
  );
  if (!made.ok) {
    trouble.value = made.message;
    return;
  }
  said.value = `Written into ${made.edits[0]!.doc}: ${made.edits.map(({ text }) => text.trim()).join(' ')}`;
  making.value = undefined;
}
</script>

<template>
  <section class="outcome" aria-label="outcome">
    <template v-if="focus.followed">
      <p class="sentence" data-testid="sentence">
        <b>{{ focus.followed.sentence }}.</b>
        <span v-for="(each, i) in focus.followed.trouble" :key="i" class="trouble error"
          ><Said :text="each.text" />.
          <button v-if="each.spot" class="plain link" @click="showInText(router, each.spot)">
            {{ each.spot.doc }} {{ each.spot.line }}
          </button></span
        >
      </p>
      <p v-for="remark in focus.followed.remarks" :key="remark" class="warning" data-testid="remark">
        Not quite one of its type: <Said :text="remark" />.
      </p>
      <div class="acts">
        <el-button
          size="small"
          :disabled="!workspace.canWrite"
          :aria-expanded="making === 'sample'"
          @click="begin('sample')"
          >keep this message…</el-button
        >
        <el-button
          size="small"
          :disabled="!workspace.canWrite"
          :aria-expanded="making === 'expectation'"
          @click="begin('expectation')"
          >expect this outcome…</el-button
        >
      </div>
      <form v-if="making" class="making" @submit.prevent="make" @keydown.esc="making = undefined">
        <label
          >name <el-input v-model="name" size="small" :aria-label="`name of the ${making}`" autofocus
        /></label>
        <label v-if="making === 'sample'"
          >group <el-input v-model="group" size="small" placeholder="its message type"
        /></label>
        <p class="soft">
          {{
            making === 'sample'
              ? 'It is written into the topology and followed again at every change.'
              : 'From now on this message must reach exactly these stores, with as many copies.'
          }}
        </p>
        <el-button size="small" type="primary" native-type="submit" :disabled="!name.trim()">{{
          making === 'sample' ? 'keep it' : 'make it a promise'
        }}</el-button>
      </form>
      <p v-if="trouble" class="error" role="alert"><Said :text="trouble" /></p>
      <p v-if="said" class="good" role="status">
        <Said :text="said" />
      </p>
      <WhyNot @show="showInText(router, $event)" />
      <table v-if="focus.followed.rests.length" class="ledger" data-testid="ledger">
        <caption class="visually-hidden">
          where copies rest
        </caption>
        <thead>
          <tr>
            <th>rests in</th>
            <th class="number">copies</th>
            <th>taken by</th>
            <th class="number">latency</th>
            <th>and if</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(rest, i) in focus.followed.rests" :key="i">
            <td class="mono">{{ rest.name }}</td>
            <td class="number">{{ rest.copies }}</td>
            <td class="mono">{{ rest.takers.join(', ') || rest.outcome }}</td>
            <td class="number">{{ rest.latency ? `${rest.latency} ms` : '' }}</td>
            <td>
              <el-select
                :model-value="''"
                size="small"
                placeholder="given up"
                :aria-label="`go on from ${rest.name} when`"
                @update:model-value="goOn(rest, $event as unknown as DeadLetterReason)"
              >
                <el-option
                  v-for="reason in rest.reasons"
                  :key="reason"
                  :value="reason"
                  :label="WORDS[reason]"
                />
              </el-select>
            </td>
          </tr>
        </tbody>
      </table>
      <div v-for="(each, i) in on" :key="`on ${i}`" class="on" data-testid="went-on">
        <h2>
          If in <code>{{ each.store }}</code> {{ WORDS[each.reason] }}
          <button
            class="plain soft"
            :aria-label="`close what follows in ${each.store}`"
            @click="on.splice(i, 1)"
          >
            ×
          </button>
        </h2>
        <p>
          <b>{{ each.view.sentence }}.</b>
        </p>
        <ol v-for="(entry, j) in each.view.entries" :key="j">
          <Ladder :hop="entry.hop" @show="showInText(router, $event)" @pick="focus.selected = $event" />
        </ol>
        <p v-for="rest in each.view.rests" :key="rest.node" class="soft">
          then in <code>{{ rest.name }}</code>:
          <template v-for="reason in rest.reasons" :key="reason">
            <button class="plain link" @click="goOn(rest, reason)">if {{ WORDS[reason] }}</button>{{ ' ' }}
          </template>
        </p>
      </div>
      <div v-for="(entry, i) in focus.followed.entries" :key="i">
        <h2>
          <code>{{ entry.from }}</code> sends it to <code>{{ entry.to }}</code><span
            v-if="entry.via"
            class="soft"
          >
            over {{ entry.via }}</span
          >
        </h2>
        <ol>
          <Ladder :hop="entry.hop" @show="showInText(router, $event)" @pick="focus.selected = $event" />
        </ol>
      </div>
      <section v-if="focus.followed.then.length" aria-label="what follows" data-testid="then">
        <h2>What apps do because of it</h2>
        <div
          v-for="(each, i) in focus.followed.then"
          :key="i"
          class="then"
          :style="{ marginLeft: `${Math.min(each.depth, 6) * 14}px` }"
        >
          <p>
            <button class="plain mono name" @click="focus.selected = `app:${each.app}`">
              {{ each.app }}
            </button>
            takes <code>{{ each.because }}</code> from <code>{{ each.from }}</code> and
            <template v-if="each.publishes"
              >publishes <code>{{ each.publishes.type }}</code> to
              <code>{{ each.publishes.to }}</code></template
            ><template v-else
              >hands on to
              <button class="plain mono name" @click="focus.selected = `app:${each.handedTo}`">
                {{ each.handedTo }}
              </button></template
            >
            {{ ' '
            }}<button class="plain link" @click="showInText(router, each.spot)">
              {{ each.spot.doc }} {{ each.spot.line }}
            </button>
          </p>
          <p v-if="each.round" class="warning">And so on: these apps answer each other without end.</p>
          <template v-else-if="each.publishes">
            <p>{{ each.publishes.sentence }}.</p>
            <ol>
              <Ladder
                :hop="each.publishes.hop"
                @show="showInText(router, $event)"
                @pick="focus.selected = $event"
              />
            </ol>
          </template>
        </div>
      </section>
    </template>
  </section>
</template>

<style scoped>
.outcome {
  display: grid;
  gap: 12px;
  align-content: start;
}
.trouble {
  display: block;
}
.acts {
  display: flex;
  gap: 8px;
}
.acts :deep(.el-button + .el-button) {
  margin-left: 0;
}
.making {
  display: grid;
  gap: 8px;
  padding: 10px;
  background: var(--band);
  justify-items: start;
}
.making label {
  display: grid;
  gap: 3px;
  width: 100%;
  color: var(--soft);
}
.ledger {
  border-collapse: collapse;
  width: 100%;
}
th,
td {
  text-align: left;
  padding: 4px 8px 4px 0;
  border-bottom: 1px solid var(--hairline);
  vertical-align: top;
  overflow-wrap: anywhere;
}
td:last-child {
  width: 96px;
  padding-right: 0;
}
th {
  font-weight: 600;
}
.number {
  text-align: right;
  white-space: nowrap;
}
.on {
  border-left: 3px solid var(--hairline);
  padding-left: 10px;
}
.then {
  border-left: 3px solid var(--accent-sheet);
  padding-left: 10px;
  margin-top: 8px;
}
.name {
  font-weight: 600;
}
.on h2 {
  display: flex;
  gap: 6px;
  flex-wrap: wrap;
}
.on h2 button {
  margin-left: auto;
}
.link {
  color: var(--accent);
  text-decoration: underline;
}
</style>
