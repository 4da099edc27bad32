<script lang="ts">
  import type { Chart as ChartType } from 'chart.js';
  import type { Drill } from '$core/drills';
  import { wordsOf } from '$core/shared';
  import { prefs } from '../prefs.svelte';

  interface Props {
    drill: Pick<Drill, 'beats' | 'beatMs' | 'beganMs' | 'endedMs' | 'overMs' | 'measured' | 'target'>;
  }
  let { drill }: Props = $props();
  let canvas: HTMLCanvasElement;
  const label = $derived(
    `Operations a second over the drill: ${drill.measured.writes.acknowledged} writes of ${drill.measured.writes.asked} and ${drill.measured.reads.acknowledged} reads of ${drill.measured.reads.asked} were accepted; the fault from ${wordsOf(drill.beganMs)} to ${wordsOf(drill.endedMs)}.`
  );
  const colour = (name: string) => getComputedStyle(document.documentElement).getPropertyValue(`--color-${name}`);

  $effect(() => {
    void prefs.theme;
    const { beats: all, beatMs, beganMs, endedMs, overMs } = $state.snapshot(drill) as Props['drill'];
    // A stretch that was cut short at the end would look like a fall.
    const beats = all.filter((one) => one.fromMs + beatMs <= overMs);
    let chart: ChartType | undefined;
    let gone = false;
    void import('chart.js').then(({ Chart, BarController, BarElement, CategoryScale, LinearScale }) => {
      if (gone) return;
      Chart.register(BarController, BarElement, CategoryScale, LinearScale);
      Chart.defaults.font.family = getComputedStyle(document.body).fontFamily;
      Chart.defaults.font.size = 11;
      Chart.defaults.color = colour('secondary');
      const rate = (n: number) => (n * 1_000) / beatMs;
      const bar = (title: string, of: (one: Drill['beats'][number]) => number, paint: string) => ({
        label: title,
        data: beats.map((one) => rate(of(one))),
        backgroundColor: paint,
        barPercentage: 1,
        categoryPercentage: 1
      });
      chart = new Chart(canvas, {
        type: 'bar',
        data: {
          labels: beats.map((one) => one.fromMs),
          datasets: [
            bar('accepted', (one) => one.writes + one.reads, colour('primary')),
            bar('not accepted', (one) => one.writesFailed + one.readsFailed, colour('error'))
          ]
        },
        options: {
          animation: false,
          responsive: true,
          maintainAspectRatio: false,
          events: [],
          layout: { padding: { left: 100 } },
          scales: {
            x: {
              stacked: true,
              grid: { display: false },
              ticks: {
                maxTicksLimit: 8,
                maxRotation: 0,
                callback: (_, i) => {
                  const s = Math.round((beats[i]?.fromMs ?? 0) / 1_000);
                  return `${Math.floor(s / 60)}:${String(s % 60).padStart(2, '0')}`;
                }
              }
            },
            y: {
              stacked: true,
              beginAtZero: true,
              grid: { display: false },
              ticks: { maxTicksLimit: 4 },
              afterFit: (axis) => void (axis.width = 40)
            }
          },
          plugins: { legend: { display: false }, tooltip: { enabled: false } }
        },
        plugins: [
          {
            id: 'fault',
            beforeDatasetsDraw({ ctx, chartArea }) {
              const at = (ms: number) => chartArea.left + (chartArea.width * ms) / (beats.length * beatMs);
              ctx.save();
              ctx.globalAlpha = 0.1;
              ctx.fillStyle = colour('error');
              ctx.fillRect(at(beganMs), chartArea.top, Math.max(2, at(endedMs) - at(beganMs)), chartArea.height);
              ctx.restore();
            },
            afterDatasetsDraw({ ctx, chartArea }) {
              const at = (ms: number) => chartArea.left + (chartArea.width * ms) / (beats.length * beatMs);
              ctx.save();
              ctx.strokeStyle = colour('base-content');
              ctx.setLineDash([2, 3]);
              for (const ms of endedMs > beganMs ? [beganMs, endedMs] : [beganMs]) {
                ctx.beginPath();
                ctx.moveTo(at(ms), chartArea.top);
                ctx.lineTo(at(ms), chartArea.bottom);
                ctx.stroke();
              }
              ctx.restore();
            }
          }
        ]
      });
    });
    return () => {
      gone = true;
      chart?.destroy();
    };
  });
</script>

<div class="relative h-[190px] w-full"><canvas bind:this={canvas} aria-label={label}>{label}</canvas></div>
<p class="small quiet mt-1 pl-[140px]">
  operations a second: <span class="text-moss">■</span> accepted, <span class="text-brick">■</span> not · between the dashes {drill.target} is
  struck
</p>
