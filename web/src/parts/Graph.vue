<script setup lang="ts">
import {
  refDebounced,
  useDebounceFn,
  useEventListener,
  useLocalStorage,
  useResizeObserver,
} from '@vueuse/core';
import { select } from 'd3-selection';
import { zoom, zoomIdentity, type ZoomTransform } from 'd3-zoom';
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue';
import type { LookSeen } from '../api.ts';
import { useWorkspace } from '../stores/workspace.ts';
import { useFocus } from '../stores/focus.ts';
import type { EdgeView, FollowView, NodeView, PlacedEdge, PlacedNode } from '../workers/views.ts';
import { barrierAt, linePath, platePath } from './graph-lines.ts';
import LiveCounts from './LiveCounts.vue';
import NextStep from './NextStep.vue';
import Overview from './Overview.vue';

/** The routing graph, with the followed message's path lit. Drag or scroll to move, Ctrl and wheel to zoom, Tab and arrow keys to walk the nodes. */
const props = withDefaults(
  defineProps<{
    /** The drawing is never made smaller than this, so that its words stay readable; it is moved instead. */
    least?: number;
    /** How an environment stands now, where that is drawn over it. */
    look?: (() => LookSeen | undefined) | undefined;
  }>(),
  { least: 0, look: undefined },
);
const workspace = useWorkspace();
const focus = useFocus();
const frame = ref<HTMLElement>();
const sheet = ref<SVGSVGElement>();
const above = ref<SVGSVGElement>();
const scene = ref<SVGGElement>();
const transform = shallowRef<ZoomTransform>(zoomIdentity);
const size = ref({ width: 0, height: 0 });

const layout = computed(() => workspace.drawing?.layout);
const nodes = computed(() => {
  const views = new Map((workspace.drawing?.nodes ?? []).map((node) => [node.id, node]));
  return (layout.value?.nodes ?? []).flatMap((place) => {
    const view = views.get(place.id);
    return view ? [{ ...place, view }] : [];
  });
});
const edges = computed(() => {
  const views = new Map((workspace.drawing?.edges ?? []).map((edge) => [edge.id, edge]));
  const all = (layout.value?.edges ?? []).flatMap((place) => {
    const view = views.get(place.id);
    return view ? [{ ...place, view, state: stateOfEdge(place.id) }] : [];
  });
  // lit lines are drawn over the rest
  return all.sort((a, b) => Number(Boolean(a.state)) - Number(Boolean(b.state)));
});
const lit = computed(() => focus.followed?.lit ?? (focus.before && NOTHING_LIT));
const NOTHING_LIT: FollowView['lit'] = { nodes: {}, edges: {}, ends: {} };
/** Against a revision, the way that the message went there and does not go now is seen too. */
const stateOfEdge = (id: string) =>
  lit.value?.edges[id] ?? (focus.before?.edges[id] === 'passed' ? 'went' : undefined);

/** With no message followed and a store picked: everything that can reach it. */
const reaching = computed(() => {
  const found = new Set<string>();
  const store = focus.selected;
  if (lit.value || !/^(?:queue|subscription):/.test(store)) return found;
  const into = new Map<string, EdgeView[]>();
  for (const edge of workspace.drawing?.edges ?? []) {
    const known = into.get(edge.to);
    if (known) known.push(edge);
    else into.set(edge.to, [edge]);
  }
  const work = [store];
  for (let at = work.pop(); at !== undefined; at = work.pop()) {
    for (const edge of into.get(at) ?? []) {
      if (found.has(edge.id)) continue;
      found.add(edge.id).add(edge.from);
      work.push(edge.from);
    }
  }
  return found;
});
const MARKS = { added: '+', removed: '−', 're-routed': '~', changed: '~' };

/** A broker's band opens and closes. */
function toggle(broker: string) {
  const folded = new Set(workspace.showing.folded);
  const isFolded = workspace.drawing?.nodes.some(({ id }) => id === `broker:${broker}`);
  folded.delete(broker);
  folded.delete(`-${broker}`);
  folded.add(isFolded ? `-${broker}` : broker);
  workspace.show({ folded: [...folded] });
}

/** Copies that leave a node on more than one way: where a message multiplies. */
const splits = computed(() => {
  if (!lit.value) return [];
  const ways = new Map<string, number>();
  for (const edge of edges.value)
    if (edge.state) ways.set(edge.view.from, (ways.get(edge.view.from) ?? 0) + 1);
  return nodes.value.flatMap((node) => {
    const copies = lit.value!.nodes[node.id] ?? 0;
    const store = node.view.role === 'queue' || node.view.role === 'subscription';
    const count = store ? copies : (ways.get(node.id) ?? 0);
    return count > 1 ? [{ ...node, count }] : [];
  });
});

const behaviour = zoom<HTMLElement, unknown>()
  .scaleExtent([0.1, 3])
  // known already: asking the page for it at every move would have it laid out again
  .extent(() => [
    [0, 0],
    [size.value.width, size.value.height],
  ])
  // the wheel scrolls; with Ctrl (as a pinch reports itself) it zooms
  .filter((event: WheelEvent & MouseEvent) => (event.type === 'wheel' ? event.ctrlKey : event.button === 0))
  .on('zoom', (event: { transform: ZoomTransform; sourceEvent: unknown }) => {
    transform.value = event.transform;
    touched ||= Boolean(event.sourceEvent);
    move();
  });

/**
 * Moves the whole sheet, which was painted once: nothing is drawn again, and Vue is not asked, however
 * much there is on it. A while after the last change of size it is painted anew, sharp.
 */
function move() {
  if (!sheet.value) return;
  const { x, y, k } = transform.value;
  const where = `translate(${x}px, ${y}px) scale(${k})`;
  sheet.value.style.transform = where;
  if (above.value) above.value.style.transform = where;
  sheet.value.style.willChange = 'transform';
  sharpen();
}
const sharpen = useDebounceFn(() => sheet.value && (sheet.value.style.willChange = 'auto'), 400);

/** The part of the graph in view, in its own units. */
const inView = computed(() => {
  const { x, y, k } = transform.value;
  return { x: -x / k, y: -y / k, width: size.value.width / k, height: size.value.height / k };
});
/** The part that is shown once it is not moved any more, with how large: what follows it need not do so at every frame. */
const settled = refDebounced(
  computed(() => ({ ...inView.value, k: transform.value.k })),
  120,
);
/** Asked for rather than given: this picture is not to be made anew for it. */
const settledView = () => settled.value;
const wantsOverview = computed(() => {
  const { width, height } = inView.value;
  return (
    layout.value !== undefined && (layout.value.height > height * 1.3 || layout.value.width > width * 1.3)
  );
});
/** Whether somebody opened the overview or put it away; until then it is there where it hides little. */
const chosen = useLocalStorage<boolean | null>('vondle:overview', null, {
  serializer: { read: (text) => JSON.parse(text) as boolean | null, write: JSON.stringify },
});
/** A picture of more than these cannot be taken in without it. */
const MANY = 120;
const overview = computed({
  get: () => chosen.value ?? (nodes.value.length > MANY || room.value),
  set: (open: boolean) => (chosen.value = open),
});
/** Whether the picture, when it was last fitted in, left room beside it. */
const room = ref(false);
const marked = computed(() => new Set([...Object.keys(lit.value?.nodes ?? {}), ...reaching.value]));

function goTo({ x, y }: { x: number; y: number }) {
  touched = true;
  select(frame.value!).call(behaviour.translateTo, x, y);
}

// until somebody moves it, the whole width stays in view
let touched = false;
let keptDrawn = () => {};
onBeforeUnmount(() => keptDrawn());
onMounted(() => {
  // how much room there is is known before it is drawn for the first time
  give(frame.value!.getBoundingClientRect().width);
  keptDrawn = workspace.keepDrawn();
  select(frame.value!).call(behaviour).on('dblclick.zoom', null);
  fit('width');
});
watch(layout, () => !touched && fit('width'));
useResizeObserver(frame, ([entry]) => {
  const { width, height } = entry!.contentRect;
  size.value = { width, height };
  giveSoon(width);
  if (!touched) fit('width');
});
/** Tells how wide the drawing may be: plates grow with the window, and shrink a little where it is small. */
function give(width: number) {
  const room = Math.floor(width / (props.least || 1) / 20) * 20;
  if (room > 0 && room !== workspace.showing.room) workspace.show({ room });
}
const giveSoon = useDebounceFn(give, 80);
useEventListener(
  frame,
  'wheel',
  (event: WheelEvent) => {
    if (event.ctrlKey) return;
    event.preventDefault();
    touched = true;
    select(frame.value!).call(
      behaviour.translateBy,
      -event.deltaX / transform.value.k,
      -event.deltaY / transform.value.k,
    );
  },
  { passive: false },
);

/** Brings the graph's width, or all of it, into view. */
function fit(what: 'width' | 'whole') {
  const box = frame.value?.getBoundingClientRect();
  if (!layout.value || !box?.width) return;
  const wide = (box.width - 8) / layout.value.width;
  const scale = Math.min(1, what === 'whole' ? Math.min(wide, (box.height - 8) / layout.value.height) : wide);
  const shown = what === 'width' ? Math.max(props.least, scale) : scale;
  const left = Math.max(4, (box.width - layout.value.width * shown) / 2);
  room.value = left > 70;
  select(frame.value!).call(behaviour.transform, zoomIdentity.translate(left, 4).scale(shown));
}

function stateOf(node: PlacedNode & { view: NodeView }): string {
  const names: string[] = [node.view.role];
  if (lit.value && node.id in lit.value.nodes) names.push('lit');
  else if (focus.before && node.id in focus.before.nodes) names.push('went');
  const end = lit.value?.ends[node.id];
  if (end) names.push(end.replace(' ', '-'));
  if (focus.selected === node.id || focus.shownNode === node.id) names.push('selected');
  if (reaching.value.has(node.id)) names.push('reaches');
  if (node.view.change) names.push(node.view.change);
  if (node.view.worst) names.push(node.view.worst);
  return names.join(' ');
}

/** Names are cut only where the plate has no room for them. */
const widest = computed(() => (layout.value?.plate.width ?? 138) - 16);
const nameOn = (node: NodeView) =>
  clip(
    node.name,
    Math.floor((widest.value - (node.role === 'publisher' ? 16 : 0) - (node.worst ? 14 : 0)) / 7.55),
  );
const noteOn = (node: NodeView) => clip(node.note, Math.floor(widest.value / 5.8));

/** What is read out: first what stands on the plate, as it stands there (WCAG 2.2 §2.5.3), then all of it. */
function describe(node: NodeView): string {
  const copies = lit.value?.nodes[node.id];
  const end = lit.value?.ends[node.id];
  const passed = copies ? `, ${copies} ${copies === 1 ? 'copy' : 'copies'}` : '';
  const change = node.change ? `, ${node.change}` : '';
  const mark = node.change ? ` ${MARKS[node.change]}` : '';
  // what is read on the plate comes first, as it stands there
  const count = node.findings ?? 1;
  const plate = `${nameOn(node)} ${noteOn(node)}${mark}${count > 1 ? ` ${count} findings` : ''}`;
  return `${plate}: ${node.role} ${node.address}, ${node.note}${change}${passed}${end ? `, ${end}` : ''}`;
}

function clip(text: string, most: number): string {
  const chars = [...text];
  return chars.length > most ? `${chars.slice(0, most - 1).join('')}…` : text;
}

/** Tab comes to one node, the last that was walked to, picked or else the first; arrow keys go on from there. */
const last = ref('');
const stop = computed(() => {
  const ids = workspace.drawing?.layout.nodes ?? [];
  const there = (id: string) => id !== '' && ids.some((node) => node.id === id);
  return [last.value, focus.selected].find(there) ?? ids[0]?.id ?? '';
});

/** Arrow keys walk to the nearest node that way. */
function walk(event: KeyboardEvent, node: PlacedNode) {
  const way = { ArrowRight: [1, 0], ArrowLeft: [-1, 0], ArrowDown: [0, 1], ArrowUp: [0, -1] }[event.key];
  if (!way) return;
  event.preventDefault();
  const [dx, dy] = way as [number, number];
  let best: PlacedNode | undefined;
  let least = Infinity;
  for (const other of nodes.value) {
    const [x, y] = [other.x - node.x, other.y - node.y];
    const along = x * dx + y * dy;
    const aside = Math.abs(x * dy) + Math.abs(y * dx);
    if (along > 1 && along + 3 * aside < least) {
      least = along + 3 * aside;
      best = other;
    }
  }
  if (best) frame.value?.querySelector<SVGElement>(`[data-node="${CSS.escape(best.id)}"]`)?.focus();
}

defineExpose({ scene, fit });

const isRefused = (edge: PlacedEdge & { view: EdgeView; state?: string }) => edge.state === 'refused';
</script>

<template>
  <div ref="frame" class="graph">
    <svg
      ref="sheet"
      class="sheet"
      role="group"
      aria-label="routing graph"
      :width="layout?.width ?? 0"
      :height="layout?.height ?? 0"
    >
      <g ref="scene" :class="{ dimmed: lit || reaching.size, compared: workspace.showing.compared }">
        <g v-if="layout">
          <text v-for="lane in layout.lanes" :key="lane.title" class="lane" :x="lane.x" y="16">
            {{ lane.title }}
          </text>
          <g v-for="band in layout.bands" :key="band.broker">
            <rect class="band" :x="band.x" :y="band.y" :width="band.width" :height="band.height" rx="6" />
            <g
              class="band-name"
              :transform="`translate(${band.x} ${band.y})`"
              role="button"
              tabindex="0"
              :aria-label="`${clip(band.broker, 40)} ${band.kind}: fold or unfold`"
              @click="toggle(band.broker)"
              @keydown.enter="toggle(band.broker)"
            >
              <!-- letters alone are hard to hit: the pointer falls between them -->
              <rect :width="band.width" height="26" />
              <text x="10" y="18">
                {{ clip(band.broker, 40) }}
                <tspan class="band-kind" dx="10">{{ band.kind }}</tspan>
              </text>
            </g>
          </g>
          <g
            v-for="edge in edges"
            :key="edge.id"
            :class="[
              'edge',
              edge.view.kind,
              edge.state,
              edge.view.change,
              { reaches: reaching.has(edge.id) },
            ]"
            :data-edge="edge.id"
          >
            <path :d="linePath(edge.points)" />
            <path
              v-if="isRefused(edge)"
              class="barrier"
              :d="`M${barrierAt(edge.points).x - 4} ${barrierAt(edge.points).y - 9}v18m6 0v-18`"
            />
            <text v-if="edge.label" :x="edge.label.x" :y="edge.label.y" text-anchor="middle">
              {{ edge.view.change ? `${MARKS[edge.view.change]} ` : '' }}{{ edge.label.text }}
              <title>{{ edge.view.label }}</title>
            </text>
          </g>
          <g
            v-for="node in nodes"
            :key="node.id"
            :class="['node', stateOf(node)]"
            :transform="`translate(${node.x} ${node.y})`"
            :data-node="node.id"
            role="button"
            :tabindex="node.id === stop ? 0 : -1"
            :aria-label="describe(node.view)"
            :aria-pressed="focus.selected === node.id"
            @focus="last = node.id"
            @click="focus.selected = node.id"
            @keydown.enter.prevent="focus.selected = node.id"
            @keydown.space.prevent="focus.selected = node.id"
            @keydown="walk($event, node)"
          >
            <title>{{ node.view.address }}</title>
            <path class="plate" :d="platePath(node.view.role, layout.plate)" />
            <path
              v-if="node.view.role === 'queue' || node.view.role === 'subscription'"
              class="double"
              :d="`M${layout.plate.width - 7} 4v${layout.plate.height - 8}m-3 0v-${layout.plate.height - 8}`"
            />
            <text class="name" x="14" y="16">
              {{ nameOn(node.view) + ' ' }}
            </text>
            <text class="note" x="14" y="30">{{ noteOn(node.view) + ' ' }}</text>
            <text
              v-if="node.view.change"
              class="mark"
              :x="layout.plate.width - 22"
              :y="layout.plate.height - 5"
            >
              {{ MARKS[node.view.change] }}
            </text>
            <circle
              v-if="node.view.worst"
              class="flag"
              :cx="layout.plate.width - 16"
              cy="10"
              :r="(node.view.findings ?? 1) > 1 ? 7.5 : 4"
            />
            <text v-if="(node.view.findings ?? 1) > 1" class="flagged" :x="layout.plate.width - 16" y="14">
              {{ node.view.findings }}
            </text>
          </g>
          <g
            v-for="split in splits"
            :key="`split ${split.id}`"
            class="split"
            :transform="`translate(${split.x + layout.plate.width} ${split.y + layout.plate.height / 2})`"
          >
            <circle r="9.5" />
            <text text-anchor="middle" y="4">{{ split.count }}</text>
          </g>
        </g>
      </g>
    </svg>
    <!-- on a sheet of its own: what changes there does not have the picture under it painted anew -->
    <svg ref="above" class="sheet above" aria-hidden="true" width="1" height="1">
      <LiveCounts
        v-if="look && layout"
        :look="look"
        :nodes="nodes"
        :edges="edges"
        :plate="layout.plate"
        :view="settledView"
      />
    </svg>
    <div v-if="layout && nodes.length === 0" class="empty"><NextStep /></div>
    <Overview
      v-if="layout && wantsOverview"
      v-model="overview"
      :layout="layout"
      :in-view="() => inView"
      :lit="marked"
      @go="goTo"
    />
    <button class="plain fit" @click="fit('whole')">whole</button>
  </div>
</template>

<style scoped>
.graph {
  position: relative;
  min-width: 0;
  min-height: 0;
  overflow: hidden;
  cursor: grab;
  user-select: none;
}
.graph:active {
  cursor: grabbing;
}
.sheet {
  position: absolute;
  inset: 0;
  transform-origin: 0 0;
  overflow: visible;
}
.above {
  pointer-events: none;
  will-change: transform;
}
.lane {
  font-size: 12px;
  fill: var(--soft);
}
.band {
  fill: var(--band);
}
.band-name text {
  font-size: 12.5px;
  font-weight: 600;
  fill: var(--ink);
}
.band-name rect {
  fill: transparent;
}
.band-kind {
  font-weight: 400;
  font-size: 11.5px;
  fill: var(--soft);
}
.edge path {
  fill: none;
  stroke: var(--edge);
  stroke-width: 1.2;
}
.edge text {
  font: 11.5px var(--mono);
  fill: var(--soft);
  paint-order: stroke;
  stroke: var(--band);
  stroke-width: 3px;
}
.edge.deadLetter path {
  stroke-dasharray: 2 4;
}
.edge.unrouted path {
  stroke-dasharray: 9 3;
}
.edge.link path {
  stroke-dasharray: 5 4;
}
.edge.follows path,
.edge.hands path {
  stroke-dasharray: 1 3;
}
.dimmed .edge:not(.passed, .refused) path {
  opacity: 0.5;
}
.edge.passed path {
  stroke: var(--accent);
  stroke-width: 2.4;
}
.edge.passed text {
  fill: var(--accent);
}
.edge.went path {
  stroke: var(--error);
  stroke-width: 2;
  stroke-dasharray: 1 4;
  stroke-linecap: round;
}
.dimmed .edge.went:not(.passed, .refused) path {
  opacity: 1;
}
.node.went .plate {
  stroke: var(--error);
  stroke-dasharray: 1 4;
  stroke-width: 1.8;
  stroke-linecap: round;
}
.edge.refused path {
  stroke: var(--error);
  stroke-width: 2.4;
  stroke-dasharray: 5 3;
}
.edge.refused path.barrier {
  stroke-dasharray: none;
  stroke-width: 3;
}
.edge.refused text {
  fill: var(--error);
}
.node {
  cursor: pointer;
  outline: none;
}
.plate {
  fill: var(--sheet);
  stroke: var(--edge);
  stroke-width: 1.2;
}
.double {
  fill: none;
  stroke: var(--edge);
  stroke-width: 1.2;
}
.alias .plate {
  stroke-dasharray: 3 3;
}
.name {
  font: 600 12.5px var(--mono);
  fill: var(--ink);
}
.note {
  font-size: 12px;
  fill: var(--soft);
}
.dimmed .node:not(.lit, .refused, .selected) .name {
  fill: var(--soft);
}
.band-name {
  cursor: pointer;
  outline: none;
}
.band-name:hover text,
.band-name:focus-visible text {
  text-decoration: underline;
}
.mark {
  font: 600 14px var(--mono);
  fill: var(--ink);
}
.edge.reaches path {
  stroke: var(--accent);
  stroke-width: 2;
  opacity: 1;
}
.dimmed .edge.reaches:not(.passed, .refused) path {
  opacity: 1;
}
.node.reaches .plate {
  stroke: var(--accent);
  stroke-width: 1.8;
}
.dimmed .node.reaches .name {
  fill: var(--ink);
}
.node.removed .plate {
  stroke: var(--error);
  stroke-dasharray: 3 3;
}
.node.removed .name {
  text-decoration: line-through;
}
.node.added .plate {
  stroke: var(--good);
  stroke-width: 2.4;
}
.node.changed .plate {
  stroke: var(--warning);
  stroke-width: 2;
}
.edge.added path {
  stroke: var(--good);
  stroke-width: 2.4;
}
.edge.removed path {
  stroke: var(--error);
  stroke-dasharray: 2 3;
}
.edge.re-routed path {
  stroke: var(--warning);
  stroke-width: 2.4;
}
.edge.added text,
.edge.removed text,
.edge.re-routed text {
  fill: var(--ink);
}
.node.lit .plate {
  fill: var(--accent-sheet);
  stroke: var(--accent);
  stroke-width: 1.8;
}
.node.lit .double {
  stroke: var(--accent);
}
.node.refused .plate,
.node.refused .double,
.node.lost .plate,
.node.unresolved .plate {
  stroke: var(--error);
  stroke-width: 1.8;
}
.node.waiting .plate {
  stroke: var(--warning);
  stroke-width: 1.8;
}
.node.selected .plate {
  stroke: var(--ink);
  stroke-width: 2.4;
}
.node:focus-visible .plate {
  stroke: var(--ink);
  stroke-width: 3;
}
.flag {
  fill: var(--warning);
}
.flagged {
  font: 600 11px var(--face);
  fill: var(--on-accent);
  text-anchor: middle;
}
.node.error .flag {
  fill: var(--error);
}
.split circle {
  fill: var(--accent);
}
.split text {
  font: 600 11px var(--face);
  fill: var(--on-accent);
}
.empty {
  position: absolute;
  inset: 30% 20% auto;
  text-align: center;
}
.fit {
  position: absolute;
  right: 8px;
  top: 5px;
  padding: 1px 10px;
  border: 1px solid var(--hairline);
  border-radius: 3px;
  background: var(--sheet);
}
</style>
