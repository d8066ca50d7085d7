<script setup lang="ts">
import { ElButton, ElDropdown, ElDropdownItem, ElDropdownMenu } from 'element-plus';
import { shallowRef } from 'vue';
import type { FormKind } from '@vondle/core/assist/forms';
import { useWorkspace } from '../stores/workspace.ts';
import { core } from '../workers/client.ts';
import { GROUPS, useForms } from './store.ts';

/** The button that declares something new, whatever it is. */
const workspace = useWorkspace();
const forms = useForms();
const kinds = shallowRef<ReadonlyMap<FormKind, { title: string; possible: boolean }>>(new Map());

async function look(open: boolean) {
  if (!open) return;
  kinds.value = new Map((await core.formKinds()).map(({ kind, ...rest }) => [kind, rest]));
}
</script>

<template>
  <el-dropdown
    v-if="workspace.canWrite"
    trigger="click"
    max-height="70vh"
    @command="forms.open({ kind: $event as FormKind })"
    @visible-change="look"
  >
    <el-button size="small" data-testid="new">New …</el-button>
    <template #dropdown>
      <el-dropdown-menu>
        <template v-for="group in GROUPS" :key="group.title">
          <li class="title soft" role="presentation">{{ group.title }}</li>
          <el-dropdown-item
            v-for="kind in group.kinds"
            :key="kind"
            :command="kind"
            :disabled="kinds.get(kind)?.possible === false"
            :title="kinds.get(kind)?.possible === false ? 'there is nothing yet that could have one' : ''"
            >{{ kinds.get(kind)?.title ?? kind }}</el-dropdown-item
          >
        </template>
      </el-dropdown-menu>
    </template>
  </el-dropdown>
</template>

<style scoped>
.title {
  padding: 6px 16px 2px;
  font-size: 12px;
}
</style>
