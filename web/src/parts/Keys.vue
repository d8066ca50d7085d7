<script setup lang="ts">
import { ElDialog } from 'element-plus';
import { VIEWS } from '../views/list.ts';

/** The sheet of keys. */
const open = defineModel<boolean>({ required: true });
const GROUPS = [
  {
    title: 'Everywhere',
    keys: [
      ['Alt J', 'go to anything by name'],
      ...VIEWS.map(({ title, key }) => [`Alt ${key}`, title]),
      ['Alt N, Alt P', 'next and previous finding'],
      ['Ctrl Z, Ctrl Shift Z', 'undo and redo, text and forms alike'],
      ['?', 'this sheet'],
    ],
  },
  {
    title: 'In the text',
    keys: [
      ['Ctrl Space', 'what may be written here'],
      ['Alt D', 'to the declaration of the name under the cursor'],
      ['Alt U', 'its uses'],
      ['Alt R', 'rename it everywhere'],
      ['Ctrl F', 'find in this document'],
    ],
  },
  {
    title: 'In the picture',
    keys: [
      ['Tab', 'into the picture, and out of it'],
      ['arrows', 'to the nearest node that way'],
      ['Enter', 'pick it'],
      ['wheel, Ctrl wheel', 'move and zoom'],
    ],
  },
];
</script>

<template>
  <el-dialog v-model="open" title="Keys" width="520" align-center>
    <section v-for="group in GROUPS" :key="group.title">
      <h2>{{ group.title }}</h2>
      <dl>
        <template v-for="[key, words] in group.keys" :key="key">
          <dt>
            <kbd>{{ key }}</kbd>
          </dt>
          <dd>{{ words }}</dd>
        </template>
      </dl>
    </section>
  </el-dialog>
</template>

<style scoped>
section + section {
  margin-top: 12px;
}
dl {
  display: grid;
  grid-template-columns: 170px 1fr;
  gap: 3px 12px;
  margin-top: 4px;
}
kbd {
  font: 12px var(--mono);
}
</style>
