<script setup lang="ts">
import { computed } from 'vue';
import type { Rollout } from '../../api.ts';

/** What goes with queues that are removed or made anew, and whether that is agreed to. */
const { queues, goes, asks, several } = defineProps<{
  queues: Rollout['destroys'];
  /** What goes in all, here and in those that follow. */
  goes: { readonly destroys: number; readonly cutsOff: number };
  /** Whether others follow. */
  several: boolean;
  /** Whether the reader may agree. */
  asks: boolean;
}>();
const agreed = defineModel<boolean>({ required: true });

const many = (count: number, one: string) => `${count} ${one}${count === 1 ? '' : 's'}`;
const what = computed(
  () =>
    [
      goes.destroys ? `${many(goes.destroys, 'message')} may be destroyed` : '',
      goes.cutsOff ? `${many(goes.cutsOff, 'taker')} may be cut off` : '',
    ]
      .filter(Boolean)
      .join(', and ') + (several ? ', on all of these brokers together' : ''),
);
const lost = computed(() => queues.filter(({ messages, takers }) => messages || takers));
</script>

<template>
  <div v-if="queues.length || goes.destroys || goes.cutsOff" class="losses" data-testid="destroys">
    <p v-if="queues.length" :class="lost.length ? 'error' : 'soft'">
      {{ queues.length === 1 ? 'One queue is' : `${queues.length} queues are` }} removed or made anew:
    </p>
    <ul>
      <li v-for="each in queues" :key="each.queue">
        <code>{{ each.queue }}</code>:
        <template v-if="each.messages">{{ many(each.messages, 'message') }} destroyed</template>
        <template v-if="each.messages && each.carried">, </template>
        <template v-if="each.carried">{{ many(each.carried, 'message') }} carried over</template>
        <template v-if="!each.messages && !each.carried">no message in it</template>
        <template v-if="each.takers">; {{ many(each.takers, 'taker') }} cut off</template>
      </li>
    </ul>
    <label v-if="(goes.destroys || goes.cutsOff) && asks" class="agree">
      <input v-model="agreed" type="checkbox" />
      {{ what }}
    </label>
  </div>
</template>

<style scoped>
.losses {
  display: grid;
  gap: 6px;
}
ul {
  list-style: disc;
  padding-left: 20px;
}
.agree {
  display: flex;
  gap: 6px;
  align-items: center;
}
</style>
