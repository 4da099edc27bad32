<script lang="ts">
  import type { Chart as ChartType } from 'chart.js';
  import { prefs } from '../prefs.svelte';

  export interface Line {
    readonly label: string;
    readonly points: readonly { readonly x: number; readonly y: number }[];
    /** Drawn thin and dashed: a ceiling, a forecast. */
    readonly dashed?: boolean;
    /** Fills the room to the next line: an interval. */
    readonly band?: boolean;
    readonly colour?: 'ink' | 'moss' | 'slate' | 'ochre';
  }
  interface Props {
    /** Read out instead of the drawing. */
    label: string;
    lines: readonly Line[];
    height?: number;
    xTicks(value: number): string;
    yTicks(value: number): string;
    /** Largest value on the y axis. */
    top?: number;
  }
  let { label, lines, height = 110, xTicks, yTicks, top }: Props = $props();
  let canvas: HTMLCanvasElement;

  const colour = (name: string) =>
    getComputedStyle(document.documentElement).getPropertyValue(
      `--color-${name === 'ink' ? 'base-content' : { moss: 'primary', slate: 'info', ochre: 'warning' }[name]}`
    );

  // Made anew when the theme or the figures change: the drawing takes its colours from the page only once.
  $effect(() => {
    void prefs.theme;
    const wanted = $state.snapshot(lines) as Line[];
    let chart: ChartType | undefined;
    let gone = false;
    void import('chart.js').then(({ Chart, LineController, LineElement, PointElement, LinearScale, Filler }) => {
      if (gone) return;
      Chart.register(LineController, LineElement, PointElement, LinearScale, Filler);
      const style = getComputedStyle(document.body);
      const quiet = getComputedStyle(document.documentElement).getPropertyValue('--color-secondary');
      const line = getComputedStyle(document.documentElement).getPropertyValue('--color-base-300');
      Chart.defaults.font.family = style.fontFamily;
      Chart.defaults.font.size = 11;
      Chart.defaults.color = quiet;
      chart = new Chart(canvas, {
        type: 'line',
        data: {
          datasets: wanted.map((one) => ({
            label: one.label,
            data: one.points.map((point) => ({ ...point })),
            borderColor: one.band ? 'transparent' : colour(one.colour ?? 'ink'),
            backgroundColor: line,
            fill: one.band ? '+1' : false,
            borderWidth: one.dashed ? 1.2 : 2,
            ...(one.dashed ? { borderDash: [3, 3] } : {}),
            pointRadius: 0,
            tension: 0
          }))
        },
        options: {
          animation: false,
          responsive: true,
          maintainAspectRatio: false,
          events: [],
          scales: {
            x: {
              type: 'linear',
              min: Math.min(0, ...wanted.flatMap((one) => one.points.map((point) => point.x))),
              max: Math.max(...wanted.flatMap((one) => one.points.map((point) => point.x))),
              grid: { display: false },
              border: { color: line },
              ticks: { maxTicksLimit: 4, maxRotation: 0, callback: (value) => xTicks(Number(value)) }
            },
            y: {
              type: 'linear',
              beginAtZero: true,
              ...(top === undefined ? {} : { max: top }),
              grid: { display: false },
              border: { color: line },
              ticks: { maxTicksLimit: 4, callback: (value) => yTicks(Number(value)) }
            }
          },
          plugins: { legend: { display: false }, tooltip: { enabled: false } }
        }
      });
    });
    return () => {
      gone = true;
      chart?.destroy();
    };
  });
</script>

<div class="relative w-full" style:height="{height}px"><canvas bind:this={canvas} aria-label={label}>{label}</canvas></div>
