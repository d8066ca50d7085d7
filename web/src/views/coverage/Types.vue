<script setup lang="ts">
import { computed, ref } from 'vue';
import { ElInput } from 'element-plus';
import type { CoverageView } from '../../workers/views.ts';
import Shares from './Shares.vue';

/** The message types, each with what becomes of its messages as a bar. */
const { types, chosen } = defineProps<{ types: CoverageView['types']; chosen: string }>();
defineEmits<{ choose: [type: string] }>();

const words = ref('');
const MANY = 12;
const MOST = 300;
const found = computed(() => types.filter(({ type }) => type.includes(words.value.trim().toLowerCase())));
const shown = computed(() => found.value.slice(0, MOST));
</script>

<template>
  <nav aria-label="message types">
    <el-input v-if="types.length > MANY" v-model="words" size="small" placeholder="find a type" clearable />
    <ul>
      <li v-for="each in shown" :key="each.type">
        <button
          class="plain"
          :aria-current="each.type === chosen ? 'true' : undefined"
          data-testid="type"
          @click="$emit('choose', each.type)"
        >
          <span class="mono">{{ each.type }}</span>
          <Shares v-for="publish in each.publishes" :key="publish.id" :publish="publish" />
        </button>
      </li>
    </ul>
    <p v-if="found.length > shown.length" class="soft">and {{ found.length - shown.length }} more</p>
    <p v-if="words && found.length === 0" class="soft">No type is called so.</p>
  </nav>
</template>

<style scoped>
nav {
  overflow: auto;
  border-right: 1px solid var(--hairline);
  padding: 8px 0;
}
.el-input {
  padding: 0 10px 6px;
}
ul {
  list-style: none;
}
button {
  display: grid;
  gap: 3px;
  width: 100%;
  padding: 5px 12px;
  text-align: left;
  font-size: 13px;
}
button:hover {
  background: var(--band);
}
button[aria-current] {
  background: var(--accent-sheet);
}
p {
  padding: 4px 12px;
}
</style>
