<script lang="ts">
  /** The Z scale beside the drawing: shows the stock's height and the levels; picks a level. */
  import { number } from '../format';
  import type { BenchState } from './bench.svelte';

  let { bench }: { bench: BenchState } = $props();
  let height = $state(400);
  const PAD = 26;
  const top = $derived(bench.picture?.stock.max[2] ?? 0);
  const bottom = $derived(bench.picture?.stock.min[2] ?? -1);
  const levels = $derived(bench.report?.levels ?? []);
  const y = (z: number) => PAD + ((top - z) / (top - bottom)) * (height - 2 * PAD);
  const step = $derived.by(() => {
    const rough = (top - bottom) / 6;
    const power = 10 ** Math.floor(Math.log10(rough));
    return [1, 2, 5, 10].map((m) => m * power).find((s) => s >= rough)!;
  });
  const ticks = $derived.by(() => {
    const list = [];
    for (let z = Math.floor(top / step + 1e-9) * step; z >= bottom - 1e-9; z -= step) list.push(z);
    return list;
  });
</script>

<div class="ruler" bind:clientHeight={height}>
  <svg width="64" {height} aria-hidden="true">
    <rect x="14" width="8" y={y(top)} height={y(bottom) - y(top)} class="stock" />
    <path d="M28,{y(top)}V{y(bottom)}" class="line" />
    {#each ticks as z (z)}
      <path d="M28,{y(z)}h7" class="line" />
      <text x="38" y={y(z) + 4}>{number(z, 2).replace('-', '−')}</text>
    {/each}
  </svg>
  {#each levels as z (z)}
    <button
      class="level"
      class:chosen={bench.level === z}
      style:top="{y(z) - 8}px"
      aria-pressed={bench.level === z}
      title="Level Z {number(z, 2)}"
      onclick={() => (bench.level = bench.level === z ? null : z)}
    >
      <span>Level Z {number(z, 2)}</span>
    </button>
  {/each}
  <button class="plain all" disabled={bench.level === null} onclick={() => (bench.level = null)}>
    {bench.level === null ? 'all' : 'show all'}
  </button>
</div>

<style>
  .ruler {
    position: relative;
  }
  svg {
    position: absolute;
    inset: 0;
  }
  .stock {
    fill: var(--paper);
    stroke: var(--ink);
    stroke-width: 1;
  }
  .line {
    stroke: var(--ink);
    stroke-width: 1;
  }
  text {
    font-size: 12px;
    fill: var(--quiet);
  }
  .level {
    position: absolute;
    left: 6px;
    width: 26px;
    height: 16px;
    padding: 0;
    border: 0;
    background: none;
  }
  .level::after {
    content: '';
    position: absolute;
    left: 0;
    top: 7px;
    width: 26px;
    height: 2px;
    background: var(--pencil);
  }
  .level.chosen::before {
    content: '';
    position: absolute;
    left: -4px;
    top: 3px;
    width: 10px;
    height: 10px;
    border-radius: 50%;
    background: var(--pencil);
  }
  .level span {
    position: absolute;
    width: 1px;
    height: 1px;
    overflow: hidden;
    clip-path: inset(50%);
  }
  .all {
    position: absolute;
    bottom: 0;
    left: 4px;
    background: none;
    font-size: 12px;
  }
</style>
