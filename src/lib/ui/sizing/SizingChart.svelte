<script lang="ts">
  import type { Chart as ChartType } from 'chart.js';
  import type { Answers } from '$server/api/types';
  import { prefs } from '../prefs.svelte';

  interface Props {
    chart: NonNullable<NonNullable<Answers['Sized']['sized']>['chart']>;
  }
  let { chart }: Props = $props();
  let canvas: HTMLCanvasElement;
  const bars = $derived(chart.kind === 'bars');
  const height = $derived(bars ? 34 + chart.points.length * 30 : 200);
  const colour = (name: string) => getComputedStyle(document.documentElement).getPropertyValue(`--color-${name}`);

  $effect(() => {
    void prefs.theme;
    const wanted = $state.snapshot(chart) as Props['chart'];
    const points = wanted.points.filter((one) => Number.isFinite(one.value));
    let drawn: ChartType | undefined;
    let gone = false;
    void import('chart.js').then(
      ({ Chart, BarController, BarElement, CategoryScale, LinearScale, LineController, LineElement, PointElement }) => {
        if (gone) return;
        Chart.register(BarController, BarElement, CategoryScale, LinearScale, LineController, LineElement, PointElement);
        Chart.defaults.font.family = getComputedStyle(document.body).fontFamily;
        Chart.defaults.font.size = 12;
        Chart.defaults.color = colour('secondary');
        const [ink, sheet, brick] = [colour('base-content'), colour('base-100'), colour('error')];
        const bound = wanted.bound;
        const most = Math.max(...points.map((one) => one.value), bound && Number.isFinite(bound.value) ? bound.value : 0, 1e-12);
        const flat = wanted.kind === 'bars';
        const values = {
          type: 'linear' as const,
          beginAtZero: true,
          max: most * (flat ? 1.25 : 1.15),
          display: false,
          grid: { display: false }
        };
        const names = {
          type: 'category' as const,
          grid: { display: false },
          border: { display: false },
          ticks: { maxRotation: 0, autoSkip: !flat }
        };
        drawn = new Chart(canvas, {
          type: flat ? 'bar' : 'line',
          data: {
            labels: points.map((one) => one.label),
            datasets: [
              flat
                ? {
                    type: 'bar' as const,
                    data: points.map((one) => one.value),
                    backgroundColor: points.map((one) => (one.chosen ? ink : sheet)),
                    borderColor: ink,
                    borderWidth: 1.2,
                    borderSkipped: false,
                    barThickness: 15
                  }
                : {
                    type: 'line' as const,
                    data: points.map((one) => one.value),
                    borderColor: ink,
                    borderWidth: 2,
                    pointRadius: 2,
                    pointBackgroundColor: ink,
                    tension: 0
                  }
            ]
          },
          options: {
            animation: false,
            responsive: true,
            maintainAspectRatio: false,
            events: [],
            indexAxis: flat ? 'y' : 'x',
            layout: { padding: { top: flat ? 0 : 18, bottom: bound && flat ? 18 : 0 } },
            scales: flat ? { x: values, y: names } : { x: names, y: values },
            plugins: { legend: { display: false }, tooltip: { enabled: false } }
          },
          plugins: [
            {
              id: 'words',
              afterDatasetsDraw(one) {
                const { ctx, chartArea, scales } = one;
                ctx.save();
                ctx.font = `12px ${getComputedStyle(document.body).fontFamily}`;
                // Words stand on a ground of their own: nothing is struck through.
                const word = (text: string, x: number, y: number) => {
                  ctx.setLineDash([]);
                  ctx.lineWidth = 5;
                  ctx.strokeStyle = sheet;
                  ctx.strokeText(text, x, y);
                  ctx.fillText(text, x, y);
                };
                if (bound && Number.isFinite(bound.value)) {
                  const axis = (flat ? scales.x : scales.y)!;
                  const at = axis.getPixelForValue(bound.value);
                  ctx.strokeStyle = ctx.fillStyle = brick;
                  ctx.lineWidth = 1.5;
                  ctx.setLineDash([4, 3]);
                  ctx.beginPath();
                  if (flat) {
                    ctx.moveTo(at, chartArea.top);
                    ctx.lineTo(at, chartArea.bottom + 6);
                  } else {
                    ctx.moveTo(chartArea.left, at);
                    ctx.lineTo(chartArea.right, at);
                  }
                  ctx.stroke();
                  const late = flat && at > (chartArea.left + chartArea.right) / 2;
                  ctx.textAlign = late ? 'right' : 'left';
                  word(
                    `${bound.label}: ${bound.text}`,
                    flat ? at + (late ? -4 : 4) : chartArea.left + 4,
                    flat ? chartArea.bottom + 14 : at - 6
                  );
                }
                ctx.fillStyle = ink;
                const every = flat ? 1 : Math.ceil(points.length / 5);
                one.getDatasetMeta(0).data.forEach((at, i) => {
                  const last = points.length - 1;
                  if (i !== last && (i % every !== 0 || (!flat && last - i < every))) return;
                  ctx.textAlign = flat || i === 0 ? 'left' : i === last ? 'right' : 'center';
                  word(points[i]!.text, flat ? at.x + 6 : at.x, flat ? at.y + 4 : at.y - 8);
                });
                ctx.restore();
              }
            }
          ]
        });
      }
    );
    return () => {
      gone = true;
      drawn?.destroy();
    };
  });
</script>

<figure class="max-w-[46rem]">
  <figcaption class="quiet small mb-1">{chart.title}</figcaption>
  <div class="relative w-full" style:height="{height}px"><canvas bind:this={canvas} aria-hidden="true"></canvas></div>
  <ul class="sr-only">
    {#each chart.points as point (point.label)}<li>{point.label}: {point.text}{point.chosen ? ' (here)' : ''}</li>{/each}
    {#if chart.bound}<li>{chart.bound.label}: {chart.bound.text}</li>{/if}
  </ul>
</figure>
