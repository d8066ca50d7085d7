<script setup lang="ts">
import Said from '../../parts/Said.vue';
import type { HopView, Spot } from '../../workers/views.ts';

/** One hop of a trace and all that follows from it. */
defineProps<{ hop: HopView }>();
const emit = defineEmits<{ show: [spot: Spot]; pick: [node: string] }>();

const BAD = ['lost', 'refused', 'sent back', 'unresolved', 'looped'];
</script>

<template>
  <li class="hop">
    <div class="line">
      <button class="plain name" @click="emit('pick', hop.node)">
        <code>{{ hop.name }}</code>
      </button>
      <span v-if="hop.copies > 1" class="copies">{{ hop.copies }} copies</span>
      <span v-if="hop.latency" class="soft">{{ hop.latency }} ms</span>
      <span v-if="hop.again" class="soft">has its copy already</span>
      <span
        v-if="hop.end"
        class="outcome"
        :class="{
          error: BAD.includes(hop.end.outcome),
          warning: hop.end.outcome === 'waiting',
          good: hop.end.outcome === 'taken',
        }"
        >{{ hop.end.outcome }}</span
      >
    </div>
    <p class="why">
      <Said :text="hop.why" />
      <button v-if="hop.spot" class="plain link" @click="emit('show', hop.spot)">
        {{ hop.spot.doc }} {{ hop.spot.line }}
      </button>
    </p>
    <p v-if="hop.end" class="why" :class="{ error: BAD.includes(hop.end.outcome) }">
      <Said :text="hop.end.why" />
      <button v-if="hop.end.spot" class="plain link" @click="emit('show', hop.end.spot)">
        {{ hop.end.spot.doc }} {{ hop.end.spot.line }}
      </button>
    </p>
    <p v-if="hop.joins" class="why soft">It goes on with the other copies that come here.</p>
    <p v-if="hop.note" class="why soft">{{ hop.note }}</p>
    <details v-if="hop.misses.length">
      <summary class="soft">{{ hop.missed }} not taken from here</summary>
      <ul>
        <li v-for="(miss, i) in hop.misses" :key="i" class="miss">
          <code>{{ miss.name }}</code> <Said :text="miss.text" />
          <button class="plain link" @click="emit('show', miss.spot)">
            {{ miss.spot.doc }} {{ miss.spot.line }}
          </button>
        </li>
        <li v-if="hop.missed > hop.misses.length" class="soft">
          and {{ hop.missed - hop.misses.length }} more
        </li>
      </ul>
    </details>
    <ol v-if="hop.next.length">
      <Ladder
        v-for="(next, i) in hop.next"
        :key="i"
        :hop="next"
        @show="emit('show', $event)"
        @pick="emit('pick', $event)"
      />
    </ol>
    <p v-if="hop.left" class="why soft">
      {{ hop.left }} more {{ hop.left === 1 ? 'hop follows' : 'hops follow' }}; where they end stands above.
    </p>
  </li>
</template>

<style scoped>
.hop {
  padding: 5px 0 0 14px;
  border-left: 1px solid var(--edge);
  margin-left: 4px;
}
.line {
  display: flex;
  flex-wrap: wrap;
  gap: 10px;
  align-items: baseline;
}
.name code {
  font-weight: 600;
  font-size: 13px;
}
.copies {
  color: var(--accent);
  font-weight: 600;
}
.outcome {
  font-weight: 600;
}
.why {
  overflow-wrap: anywhere;
}
.link {
  color: var(--accent);
  font-size: 12.5px;
  text-decoration: underline;
  margin-left: 6px;
}
summary {
  cursor: pointer;
}
.miss {
  padding: 2px 0 2px 12px;
  overflow-wrap: anywhere;
}
</style>
