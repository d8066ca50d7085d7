<script setup lang="ts">
import type { Plotly } from 'plotly.js-basic-dist-min';
import { onBeforeUnmount, onMounted, ref, watch } from 'vue';
import type { Course } from '../../api.ts';
import { useColorScheme } from '../../stores/color-scheme.ts';
import type { Measure } from './measures.ts';

/** How stores stood over time, as lines; a broken line where nobody looked, an upright one where a rollout ran. */
const props = defineProps<{
  courses: readonly { store: string; course: Course }[];
  measure: Measure;
  minutes: number;
}>();
const colorScheme = useColorScheme();
const host = ref<HTMLElement>();
let plotly: Plotly | undefined;

const colour = (name: string) => getComputedStyle(document.documentElement).getPropertyValue(name).trim();
/** Lines are told apart by how they are drawn, too. */
const DASHES = ['solid', 'dot', 'dash', 'longdash', 'dashdot', 'longdashdot'] as const;

/** @returns the points of a line, with a gap wherever nobody looked for longer than two stretches */
function lineOf({ step, points }: Course): { x: string[]; y: (number | null)[] } {
  const x: string[] = [];
  const y: (number | null)[] = [];
  let last: number | undefined;
  for (const point of points) {
    const at = Date.parse(point.at);
    if (last !== undefined && at - last > 2500 * step) {
      x.push(new Date(last + 1000 * step).toISOString());
      y.push(null);
    }
    x.push(point.at);
    y.push(point[props.measure]);
    last = at;
  }
  return { x, y };
}

async function draw() {
  // a megabyte that nobody needs before there is something to chart
  plotly ??= (await import('plotly.js-basic-dist-min')).default;
  if (!host.value) return;
  const font = { family: '"Source Sans 3", sans-serif', size: 12.5, color: colour('--ink') };
  const shades = ['--accent', '--warning', '--error', '--good', '--soft', '--ink'].map(colour);
  const now = Date.now();
  const rollouts = new Map(
    props.courses.flatMap(({ course }) => course.rollouts.map((each) => [each.id, each] as const)),
  );
  const axis = { fixedrange: true, gridcolor: colour('--hairline'), zeroline: false, automargin: true };
  await plotly.react(
    host.value,
    props.courses.map(({ store, course }, i) => ({
      type: 'scatter',
      mode: 'lines',
      name: store,
      ...lineOf(course),
      connectgaps: false,
      hovertemplate: '%{y:,.1f}<extra>%{fullData.name}</extra>',
      line: { color: shades[i % shades.length], width: 1.6, dash: DASHES[i % DASHES.length] },
    })),
    {
      font,
      showlegend: props.courses.length > 1,
      legend: { orientation: 'h', y: -0.2 },
      hovermode: 'x unified',
      paper_bgcolor: 'rgba(0,0,0,0)',
      plot_bgcolor: 'rgba(0,0,0,0)',
      margin: { l: 10, r: 12, t: 18, b: 30 },
      height: 230,
      xaxis: {
        ...axis,
        type: 'date',
        range: [new Date(now - props.minutes * 60_000).toISOString(), new Date(now).toISOString()],
      },
      yaxis: { ...axis, rangemode: 'tozero', nticks: 5 },
      shapes: [...rollouts.values()].map(({ at }) => ({
        type: 'line',
        x0: at,
        x1: at,
        yref: 'paper',
        y0: 0,
        y1: 1,
        line: { color: colour('--edge'), width: 1, dash: 'dot' },
      })),
      annotations: [...rollouts.values()].map(({ at, revision }) => ({
        x: at,
        yref: 'paper',
        y: 1.08,
        text: `r${revision}`,
        showarrow: false,
        font: { ...font, size: 11, color: colour('--soft') },
      })),
    },
    { displayModeBar: false, responsive: true },
  );
}
onMounted(draw);
watch([() => props.courses, () => props.measure, () => colorScheme.dark], () => void draw(), {
  flush: 'post',
});
onBeforeUnmount(() => host.value && plotly?.purge(host.value));
</script>

<template>
  <figure ref="host" aria-label="how they stood over time" data-testid="courses" />
</template>

<style scoped>
figure {
  margin: 0;
  min-height: 230px;
}
</style>
