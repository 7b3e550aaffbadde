<script setup lang="ts">
import { CategoryScale, Chart, Filler, LinearScale, LineController, LineElement, PointElement, Tooltip, type ChartConfiguration, type Plugin } from 'chart.js'
import { computed, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { count, dayText } from '../app/formatting'
import { theme } from '../app/theme'
import DataTable from '../tables/DataTable.vue'
import type { Column } from '../tables/tableRows'

Chart.register(CategoryScale, Filler, LinearScale, LineController, LineElement, PointElement, Tooltip)

/** One line (or filled area) of a chart over days. */
export interface Series {
  name: string
  values: number[]
  /** Filled and behind, on a scale of its own. */
  area?: boolean
}

/** Series over days, with the same numbers as a table and as PNG. `marks` are dotted lines at a day. */
const props = withDefaults(
  defineProps<{
    days: string[]
    series: Series[]
    marks?: { day: string; label: string }[]
    name: string
    height?: number
    unit?: 'hour' | 'day' | 'week' | 'month'
  }>(),
  {
    marks: () => [],
    height: 190,
    unit: 'day',
  },
)
/** A span as people say it; only days are written out. */
const spanText = (key: string, options?: Intl.DateTimeFormatOptions): string => (props.unit === 'day' ? dayText(key, options) : key)

const canvas = ref<HTMLCanvasElement>()
const asTable = ref(false)
let chart: Chart | undefined

const columns = computed<Column[]>(() => [
  { key: 'day', name: props.unit[0]!.toUpperCase() + props.unit.slice(1) },
  ...props.series.map((each, index) => ({ key: `s${index}`, name: each.name, number: true })),
])
const rows = computed(() =>
  props.days.map((day, index) => ({ day, ...Object.fromEntries(props.series.map((each, at) => [`s${at}`, each.values[index] ?? 0])) })),
)

/** Draws a dotted line with a word at days on which something changed. */
const markLines: Plugin = {
  id: 'markLines',
  afterDatasetsDraw(drawn) {
    const { ctx, chartArea, scales } = drawn
    const style = getComputedStyle(document.documentElement)
    ctx.save()
    ctx.font = `12px ${style.getPropertyValue('--font')}`
    for (const mark of props.marks) {
      const index = props.days.indexOf(mark.day)
      const x = index < 0 ? undefined : scales.x?.getPixelForValue(index)
      if (x === undefined) continue
      ctx.strokeStyle = ctx.fillStyle = style.getPropertyValue('--ink-2')
      ctx.setLineDash([2, 3])
      ctx.beginPath()
      ctx.moveTo(x, chartArea.top)
      ctx.lineTo(x, chartArea.bottom)
      ctx.stroke()
      const left = x > chartArea.right - 70
      ctx.textAlign = left ? 'right' : 'left'
      ctx.fillText(mark.label, x + (left ? -5 : 5), chartArea.top + 9)
    }
    ctx.restore()
  },
}

function configuration(): ChartConfiguration<'line'> {
  const style = getComputedStyle(document.documentElement)
  const colour = (name: string): string => style.getPropertyValue(name).trim()
  const lines = ['--water', '--clay', '--ochre']
  const ticks = { color: colour('--ink-2'), font: { family: colour('--font'), size: 12 } }
  return {
    type: 'line',
    data: {
      labels: props.days,
      datasets: props.series.map((each, index) => ({
        label: each.name,
        data: each.values,
        yAxisID: each.area ? 'area' : 'lines',
        order: each.area ? 1 : 0,
        fill: !!each.area,
        backgroundColor: colour('--water-run'),
        borderColor: each.area ? 'transparent' : colour(lines[Math.max(0, index - (props.series[0]?.area ? 1 : 0)) % lines.length] as string),
        borderWidth: 2,
        pointRadius: props.days.length === 1 ? 3 : 0,
        pointHitRadius: 12,
        pointHoverRadius: 4,
        pointHoverBackgroundColor: colour('--water'),
        tension: 0.15,
      })),
    },
    options: {
      animation: false,
      maintainAspectRatio: false,
      interaction: { mode: 'index', intersect: false },
      scales: {
        x: {
          grid: { display: false },
          border: { display: false },
          ticks: { ...ticks, maxRotation: 0, autoSkipPadding: 30, callback: (_, index) => spanText(props.days[index] ?? '') },
        },
        lines: {
          beginAtZero: true,
          display: !props.series.every((each) => each.area),
          grid: { color: colour('--plaster-3') },
          border: { display: false },
          ticks: { ...ticks, precision: 0, maxTicksLimit: 4 },
        },
        area: {
          beginAtZero: true,
          display: props.series.some((each) => each.area),
          position: props.series.every((each) => each.area) ? 'left' : 'right',
          grid: { display: false },
          border: { display: false },
          ticks: { ...ticks, precision: 0, maxTicksLimit: 4 },
        },
      },
      plugins: {
        tooltip: {
          callbacks: {
            title: ([item]) => spanText(props.days[item?.dataIndex ?? 0] ?? '', { weekday: 'short', day: 'numeric', month: 'short' }),
            label: (item) => ` ${item.dataset.label ?? ''}: ${count(item.parsed.y ?? 0)}`,
          },
        },
      },
    },
    plugins: [markLines as Plugin<'line'>],
  }
}

function draw(): void {
  chart?.destroy()
  if (canvas.value) chart = new Chart(canvas.value, configuration())
}

function savePng(): void {
  const link = document.createElement('a')
  link.href = chart?.toBase64Image() ?? ''
  link.download = `${props.name}.png`
  link.click()
}

const dark = matchMedia('(prefers-color-scheme: dark)')
onMounted(draw)
watch(() => [props.days, props.series, props.marks], draw, { deep: true, flush: 'post' })
watch([theme, asTable], draw, { flush: 'post' })
dark.addEventListener('change', draw)
onBeforeUnmount(() => {
  chart?.destroy()
  dark.removeEventListener('change', draw)
})
</script>

<template>
  <figure class="series">
    <DataTable v-if="asTable" :columns="columns" :rows="rows" :name="name" row-key="day" />
    <div v-else :style="{ height: `${height}px` }">
      <canvas
        ref="canvas"
        role="img"
        :aria-label="`${name}: ${series.map((each) => each.name).join(' and ')} for ${days.length} days. The same numbers are there as a table.`"
      />
    </div>
    <figcaption>
      <span v-for="(each, index) in series" :key="each.name" class="legend"
        ><span :class="each.area ? 'area' : `line line-${index - (series[0]?.area ? 1 : 0)}`" aria-hidden="true" />{{ each.name }}</span
      >
      <span class="grow" />
      <button class="quiet" :aria-pressed="asTable" @click="asTable = !asTable">{{ asTable ? 'Picture' : 'Table' }}</button>
      <button v-if="!asTable" class="quiet" @click="savePng">PNG</button>
    </figcaption>
  </figure>
</template>

<style scoped>
.series {
  margin: 0;
}
figcaption {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 16px;
  align-items: center;
  font-size: 12.5px;
  color: var(--ink-2);
  margin-top: 6px;
}
.legend {
  display: inline-flex;
  gap: 6px;
  align-items: center;
}
.area {
  width: 14px;
  height: 9px;
  background: var(--water-run);
}
.line {
  width: 14px;
  height: 2px;
  background: var(--water);
}
.line-1 {
  background: var(--clay);
}
.grow {
  flex: 1;
}
</style>
