<script lang="ts">
  /** The load strip: engagement along time with its target; scrub it to move the cutter. */
  import { untrack } from 'svelte';
  import { css, loadColour, minutes, number, OVER, OVER_FROM } from '../format';
  import type { BenchState } from './bench.svelte';
  import { indexAt, rangeOf } from './trace';

  let { bench }: { bench: BenchState } = $props();
  let width = $state(600);
  let height = $state(100);
  let canvas = $state<HTMLCanvasElement | null>(null);
  const LEFT = 46;
  const TOP = 12;
  const BOTTOM = 20;
  const HIGHEST = 1.35;

  const range = $derived(bench.trace ? rangeOf(bench.trace, bench.operation) : [0, 0]);
  const from = $derived(bench.trace && range[0]! > 0 ? bench.trace.seconds[range[0]! - 1]! : 0);
  const to = $derived(bench.trace && range[1]! > 0 ? bench.trace.seconds[range[1]! - 1]! : 0);
  const span = $derived(Math.max(1e-6, to - from));
  const plot = $derived({ w: Math.max(10, width - LEFT - 14), h: Math.max(10, height - TOP - BOTTOM) });
  const x = $derived(LEFT + (plot.w * (bench.seconds - from)) / span);
  const targetY = $derived(TOP + plot.h * (1 - 1 / HIGHEST));
  const degrees = $derived(bench.report?.target_engagement_deg ?? bench.bite?.angle ?? 0);

  $effect(() => {
    const context = canvas?.getContext('2d');
    if (!canvas || !context) return;
    const scale = devicePixelRatio;
    canvas.width = width * scale;
    canvas.height = height * scale;
    context.setTransform(scale, 0, 0, scale, 0, 0);
    context.clearRect(0, 0, width, height);
    const trace = bench.trace;
    if (!trace) return;
    const [first, last] = range as [number, number];
    // Highest and lowest load of each pixel column.
    const columns = Math.floor(plot.w);
    const most = new Float32Array(columns);
    const least = new Float32Array(columns).fill(9);
    let before = 0;
    for (let k = first; k < last; k++) {
      const c = Math.min(columns - 1, Math.floor(((trace.seconds[k]! - from) / span) * columns));
      const share = Math.min(HIGHEST, trace.share[k]!);
      for (let m = Math.max(0, Math.min(before + 1, c)); m <= c; m++) {
        most[m] = Math.max(most[m]!, share);
        least[m] = Math.min(least[m]!, share);
      }
      before = c;
    }
    for (let c = 0; c < columns; c++) {
      if (least[c]! > 5) continue;
      const y1 = TOP + plot.h * (1 - most[c]! / HIGHEST);
      const y2 = TOP + plot.h * (1 - least[c]! / HIGHEST);
      context.fillStyle = css(loadColour(most[c]!));
      context.globalAlpha = 0.28;
      context.fillRect(LEFT + c, y1, 1, TOP + plot.h - y1);
      context.globalAlpha = 1;
      context.fillRect(LEFT + c, y1, 1, Math.max(1.2, y2 - y1));
      if (most[c]! > OVER_FROM) {
        context.fillStyle = css(OVER);
        context.fillRect(LEFT + c, y1, 1, Math.max(2, targetY - y1));
      }
    }
  });

  function scrub(event: PointerEvent) {
    if (!bench.trace || !(event.buttons & 1)) return;
    const box = (event.currentTarget as HTMLElement).getBoundingClientRect();
    const share = (event.clientX - box.left - LEFT) / plot.w;
    bench.playing = false;
    bench.seconds = from + span * Math.min(1, Math.max(0, share));
  }

  function key(event: KeyboardEvent) {
    const step = { ArrowLeft: -1, ArrowRight: 1, PageDown: -10, PageUp: 10 }[event.key];
    if (step === undefined) return;
    event.preventDefault();
    bench.seconds = Math.min(to, Math.max(from, bench.seconds + (step * span) / 200));
  }

  // Running: ten times the machine's time, so that a job of minutes is seen in a breath.
  const SPEED = 10;
  $effect(() => {
    if (!bench.playing || !bench.trace) return;
    const [start, end] = [from, to];
    // The running time is not a reason to start the run anew.
    if (untrack(() => bench.seconds) >= end - 1e-3) bench.seconds = start;
    let last = performance.now();
    let frame = requestAnimationFrame(function tick(now) {
      const next = Math.min(end, untrack(() => bench.seconds) + ((now - last) / 1000) * SPEED);
      last = now;
      bench.seconds = next;
      if (next >= end) bench.playing = false;
      else frame = requestAnimationFrame(tick);
    });
    return () => cancelAnimationFrame(frame);
  });

  const here = $derived.by(() => {
    if (!bench.trace || range[1] === 0) return '';
    const k = indexAt(bench.trace, bench.seconds);
    const share = bench.trace.share[k]!;
    const feed = bench.trace.feed[k]!;
    return `${minutes(bench.seconds - from)} of ${minutes(span)} · ${number(100 * share)} % of the bite · ${
      feed > 0 ? `${number(feed)} mm/min held` : 'rapid'
    } · NC line ${bench.trace.line[k]}`;
  });
  /** Held against the part itself, where the job was made from one; of plans made before that was done not known. */
  const into = $derived(bench.plan?.report?.into_part ?? null);
</script>

<div class="strip">
  <div class="head">
    <button onclick={() => (bench.playing = !bench.playing)} disabled={!bench.trace}>
      {bench.playing ? 'Hold' : 'Run'}
    </button>
    <span class="quiet here">{here || 'The load along time comes with the plan.'}</span>
    {#if bench.report && bench.trace}
      <span
        class="quiet"
        title="Measured from the NC program. The most of the bite that is taken; what a way in removes in a minute, over the bite's; the thickest chip, over what a tooth bears; whether it stays off the part itself"
      >
        most {number(100 * bench.report.max_over_target)} % of the bite{bench.report.entry_over_bite > 0
          ? ` · way in ${number(100 * bench.report.entry_over_bite)} %`
          : ''}{bench.report.chip_over_borne > 0
          ? ` · chip ${number(100 * bench.report.chip_over_borne)} %`
          : ''}{into ? (into.area_mm2 > 0 ? ' · in the part' : ' · off the part') : ''}
      </span>
    {/if}
  </div>
  <div
    class="plot"
    bind:clientWidth={width}
    bind:clientHeight={height}
    role="slider"
    tabindex="0"
    aria-label="Time in the operation"
    aria-valuemin={0}
    aria-valuemax={Math.round(span)}
    aria-valuenow={Math.round(bench.seconds - from)}
    aria-valuetext={here}
    onpointerdown={scrub}
    onpointermove={scrub}
    onkeydown={key}
  >
    <canvas bind:this={canvas} style:width="{width}px" style:height="{height}px"></canvas>
    <svg {width} {height}>
      <line x1={LEFT} x2={LEFT + plot.w} y1={TOP + plot.h} y2={TOP + plot.h} class="axis" />
      <line x1={LEFT} x2={LEFT + plot.w} y1={targetY} y2={targetY} class="target" />
      <text x={LEFT - 6} y={targetY + 4} text-anchor="end">{number(degrees)}°</text>
      <text x={LEFT - 6} y={TOP + plot.h + 4} text-anchor="end">0°</text>
      {#if bench.trace && range[1]! > 0}
        <text x={LEFT} y={height - 4}>0:00</text>
        <text x={LEFT + plot.w} y={height - 4} text-anchor="end">{minutes(span)}</text>
        {#if bench.seconds >= from && bench.seconds <= to}
          <line x1={x} x2={x} y1={4} y2={TOP + plot.h} class="now" />
          <circle cx={x} cy={5} r="4" class="knob" />
        {/if}
      {/if}
    </svg>
  </div>
</div>

<style>
  .strip {
    display: grid;
    grid-template-rows: auto minmax(0, 1fr);
    border-top: 1px solid var(--rule);
  }
  .head {
    display: flex;
    align-items: center;
    gap: 12px;
    padding: 6px 14px 0;
  }
  .here {
    flex: 1;
  }
  .head button {
    padding: 1px 10px;
    min-width: 58px;
  }
  .plot {
    position: relative;
    min-height: 0;
    cursor: ew-resize;
    touch-action: none;
  }
  canvas,
  svg {
    position: absolute;
    inset: 0;
  }
  text {
    font-size: 12px;
    fill: var(--quiet);
  }
  .axis {
    stroke: var(--rule);
  }
  .target {
    stroke: var(--over);
  }
  .now {
    stroke: var(--pencil);
    stroke-width: 1.5;
  }
  .knob {
    fill: var(--pencil);
  }
</style>
