<script setup lang="ts">
import { ElDropdown, ElDropdownItem, ElDropdownMenu, ElOption, ElSelect } from 'element-plus';
import { computed, ref } from 'vue';
import { useWorkspace } from '../../stores/workspace.ts';
import { useFocus } from '../../stores/focus.ts';
import { core } from '../../workers/client.ts';
import { saveFile } from '../save.ts';
import { pngOf, svgOf } from './picture.ts';

/** What of the graph is drawn: its neighbourhood alone, compared with a revision; and the picture as a file. */
const props = defineProps<{ scene: SVGGElement | undefined }>();
const workspace = useWorkspace();
const focus = useFocus();
const trouble = ref('');

const against = computed({
  get: () => workspace.compared ?? 0,
  set: (number: number) => {
    trouble.value = '';
    workspace.compareWith(number || undefined).catch((error: Error) => (trouble.value = error.message));
  },
});
const near = computed({
  get: () => (workspace.showing.near ? workspace.showing.depth : 0),
  set: (depth: number) => workspace.show(depth ? { near: focus.selected, depth } : { near: '' }),
});

async function save(format: 'svg' | 'png' | 'dot' | 'graphml') {
  const { scene } = props;
  const layout = workspace.drawing?.layout;
  const name = `${workspace.topology?.slug ?? 'topology'}.${format}`;
  trouble.value = '';
  try {
    if (format === 'dot' || format === 'graphml') saveFile(name, await core.graphAs(format), 'text/plain');
    else if (scene && layout) {
      const svg = svgOf(scene, layout);
      saveFile(
        name,
        format === 'svg' ? svg : await pngOf(svg, layout),
        `image/${format === 'svg' ? 'svg+xml' : 'png'}`,
      );
    }
  } catch (error) {
    trouble.value = `The picture could not be made: ${(error as Error).message}`;
  }
}
</script>

<template>
  <div class="show">
    <span v-if="trouble" class="error" role="alert">{{ trouble }}</span>
    <el-select v-model="against" class="against" aria-label="compare with" data-testid="compare">
      <el-option :value="0" label="not compared" />
      <el-option
        v-for="{ number } in workspace.revisions"
        :key="number"
        :value="number"
        :label="`against r${number}`"
      />
    </el-select>
    <label v-if="workspace.showing.compared" class="rest soft">
      <input
        type="checkbox"
        :checked="!workspace.showing.unchanged"
        data-testid="fold-unchanged"
        @change="workspace.show({ unchanged: !workspace.showing.unchanged })"
      />
      what changed alone
    </label>
    <el-select v-model="near" class="near" aria-label="how much is drawn" data-testid="near">
      <el-option :value="0" label="all of it" />
      <el-option
        v-for="depth in [1, 2, 3]"
        :key="depth"
        :value="depth"
        :disabled="!focus.selected"
        :label="`${depth} ${depth === 1 ? 'way' : 'ways'} round the picked`"
      />
    </el-select>
    <el-dropdown trigger="click" @command="save">
      <button class="plain soft" data-testid="save-picture">save as …</button>
      <template #dropdown>
        <el-dropdown-menu>
          <el-dropdown-item command="svg">SVG picture</el-dropdown-item>
          <el-dropdown-item command="png">PNG picture</el-dropdown-item>
          <el-dropdown-item command="dot" divided>DOT graph</el-dropdown-item>
          <el-dropdown-item command="graphml">GraphML graph</el-dropdown-item>
        </el-dropdown-menu>
      </template>
    </el-dropdown>
  </div>
</template>

<style scoped>
.show {
  display: flex;
  align-items: center;
  gap: 10px;
  white-space: nowrap;
}
.against {
  width: 138px;
}
.rest {
  display: flex;
  align-items: center;
  gap: 4px;
}
.near {
  width: 168px;
}
</style>
