<script setup lang="ts">
import { computed } from 'vue';
import { useRouter } from 'vue-router';
import { core } from '../../workers/client.ts';
import { showInText } from '../show.ts';
import { useFresh } from './fresh.ts';
import Said from '../../parts/Said.vue';

/** The statements that allow more than the routes need, and what that is. */
const router = useRouter();
const statements = useFresh(() => core.statements());
const wide = computed(() => statements.value?.filter(({ beyond }) => beyond) ?? []);
const exact = computed(() => statements.value?.filter(({ beyond }) => !beyond).length ?? 0);
</script>

<template>
  <div class="statements">
    <p class="soft">
      What statements allow and no declared way needs. It may be there for people and programs that no
      document knows; where it is not, the finding about the statement offers a narrower one.
    </p>
    <p v-if="statements && wide.length === 0" class="good">No statement allows more than is needed.</p>
    <table v-else>
      <thead>
        <tr>
          <th>statement</th>
          <th>needs it meets</th>
          <th>also allows</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="each in wide" :key="`${each.spot.doc} ${each.spot.start}`">
          <td>
            <Said :text="each.title" />
            <button class="plain link" @click="showInText(router, each.spot)">
              {{ each.spot.doc }} {{ each.spot.line }}
            </button>
          </td>
          <td>{{ each.uses || 'none' }}</td>
          <td class="mono">{{ each.beyond }}</td>
        </tr>
      </tbody>
    </table>
    <p v-if="exact" class="soft">
      {{ exact }} {{ exact === 1 ? 'statement allows' : 'statements allow' }} just what is needed.
    </p>
  </div>
</template>

<style scoped>
.statements {
  padding: 12px 14px;
  overflow: auto;
  display: grid;
  gap: 10px;
  align-content: start;
}
th,
td {
  text-align: left;
  vertical-align: top;
  padding: 4px 14px 4px 0;
  border-bottom: 1px solid var(--hairline);
}
th {
  font-weight: 600;
}
td:first-child {
  width: 260px;
}
.mono {
  overflow-wrap: anywhere;
}
.link {
  color: var(--accent);
  text-decoration: underline;
  font-size: 13px;
}
</style>
