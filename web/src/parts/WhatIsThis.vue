<script setup lang="ts">
import { ElPopover } from 'element-plus';
import { WHAT_IS_THIS } from './what-is-this.ts';

/** One paragraph on the view one is in. */
defineProps<{ view: string }>();
</script>

<template>
  <el-popover placement="bottom-end" :width="380" trigger="click">
    <template #reference>
      <button class="plain soft what" data-testid="what-is-this">what is this?</button>
    </template>
    <p>{{ WHAT_IS_THIS[view] }}</p>
  </el-popover>
</template>

<style scoped>
.what {
  font-size: 13px;
  white-space: nowrap;
  text-decoration: underline dotted;
  text-underline-offset: 3px;
}
</style>
