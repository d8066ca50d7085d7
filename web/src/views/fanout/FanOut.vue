<script setup lang="ts">
import { useRouter } from 'vue-router';
import CloseUp from '../../parts/CloseUp.vue';
import FollowBar from '../../parts/FollowBar.vue';
import Graph from '../../parts/Graph.vue';
import Said from '../../parts/Said.vue';
import { useFocus } from '../../stores/focus.ts';
import { showInText } from '../show.ts';

const focus = useFocus();
const router = useRouter();
</script>

<template>
  <div class="fan-out" :class="{ beside: focus.closeUp }">
    <FollowBar class="bar" />
    <Graph class="drawing" />
    <aside v-if="focus.closeUp" class="side">
      <button class="plain close" aria-label="close the close-up" @click="focus.selected = ''">×</button>
      <CloseUp @show="showInText(router, $event)" />
    </aside>
    <footer>
      <template v-if="focus.followed">
        <p data-testid="sentence">
          <b>{{ focus.followed.sentence }}.</b>
        </p>
        <p v-for="(trouble, i) in focus.followed.trouble" :key="i" class="error" data-testid="trouble">
          <Said :text="trouble.text" />
          <button v-if="trouble.spot" class="plain link" @click="showInText(router, trouble.spot)">
            show in text
          </button>
        </p>
      </template>
      <p v-else class="soft">
        Follow a message to see its way and its copies, or pick a node to see what is around it.
      </p>
    </footer>
  </div>
</template>

<style scoped>
.fan-out {
  display: grid;
  grid-template: 40px 1fr auto / 1fr;
}
.fan-out.beside {
  grid-template: 40px 1fr auto / 1fr 284px;
}
.bar {
  padding: 0 12px;
  border-bottom: 1px solid var(--hairline);
}
.side {
  grid-row: 1 / 4;
  grid-column: 2;
  position: relative;
  background: var(--sheet);
  border-left: 1px solid var(--hairline);
  padding: 12px 14px;
  overflow: auto;
}
.close {
  position: absolute;
  top: 8px;
  right: 12px;
  font-size: 18px;
  color: var(--soft);
}
footer {
  grid-column: 1;
  padding: 8px 14px;
  background: var(--sheet);
  border-top: 1px solid var(--hairline);
  max-height: 120px;
  overflow: auto;
}
.link {
  text-decoration: underline;
  margin-left: 6px;
}
</style>
