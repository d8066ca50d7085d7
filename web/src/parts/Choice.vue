<script setup lang="ts" generic="T extends string | number | undefined">
import { ElOption, ElSelect } from 'element-plus';
import { computed, useAttrs } from 'vue';

/** One of several, with the words that ask for it before it. Whatever else is said goes to the field. */
defineOptions({ inheritAttrs: false });
defineProps<{
  /** The words, as they are read before what is chosen. */
  words: string;
  /** What the field is called for who cannot see those words around it. */
  called: string;
  options: readonly { readonly value: NonNullable<T>; readonly label: string }[];
}>();
const chosen = defineModel<T>();
const attrs = useAttrs();
const field = computed(() => ({ ...attrs, class: undefined }));
</script>

<template>
  <label :class="attrs.class">
    {{ words }}
    <el-select v-model="chosen" :aria-label="called" v-bind="field">
      <el-option v-for="each in options" :key="each.value" :value="each.value" :label="each.label" />
    </el-select>
  </label>
</template>
