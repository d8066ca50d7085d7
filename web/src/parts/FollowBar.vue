<script setup lang="ts">
import { ElOption, ElSelect } from 'element-plus';
import { computed } from 'vue';
import { useWorkspace } from '../stores/workspace.ts';
import { useFocus } from '../stores/focus.ts';

/** Chooses the message that is followed: its type, which sample, and who sends it. */
const workspace = useWorkspace();
const focus = useFocus();
const published = computed(() => workspace.messages.filter((type) => type.publishes.length));
const sender = computed({
  get: () => focus.publishes[0]?.app ?? '',
  set: (app: string) => (focus.from = app),
});
</script>

<template>
  <div class="follow" role="group" aria-label="message to follow">
    <span class="soft">follow</span>
    <el-select
      v-model="focus.typeId"
      class="type"
      placeholder="a message type"
      aria-label="message type"
      filterable
      clearable
      no-data-text="No app publishes anything yet"
    >
      <el-option v-for="type in published" :key="type.id" :value="type.id" :label="type.id" class="mono" />
    </el-select>
    <template v-if="focus.type">
      <el-select
        :model-value="focus.edited ? undefined : focus.sampleIndex"
        class="sample"
        :placeholder="focus.edited?.key || 'another message'"
        aria-label="sample"
        @update:model-value="focus.sampleIndex = $event as number"
      >
        <el-option v-for="(sample, i) in focus.type.samples" :key="i" :value="i" :label="sample.name" />
      </el-select>
      <span class="soft">from</span>
      <el-select v-model="sender" class="sample" aria-label="publisher">
        <el-option v-for="app in focus.publishers" :key="app" :value="app" :label="app" class="mono" />
      </el-select>
    </template>
  </div>
</template>

<style scoped>
.follow {
  display: flex;
  align-items: center;
  gap: 8px;
}
.type {
  width: 190px;
}
.sample {
  width: 150px;
}
</style>
