<script lang="ts">
  /** Where findings are, in the drawing from above; small where they are many, the errors on top. */
  import type { Finding } from '../types';

  let {
    findings,
    toX,
    toY,
  }: { findings: Finding[]; toX: (x: number) => number; toY: (y: number) => number } = $props();
  /** From so many on they would hide what they stand on. */
  const MANY = 40;

  const placed = $derived(
    findings
      .flatMap((f) => (f.x !== null && f.y !== null ? [{ ...f, x: f.x, y: f.y }] : []))
      .sort((a, b) => Number(a.severity === 'error') - Number(b.severity === 'error')),
  );
  const small = $derived(placed.length > MANY);
</script>

{#each placed as f, i (i)}
  {@const error = f.severity === 'error'}
  <g class="flag" class:error>
    <path d="M{toX(f.x)},{toY(f.y)} {small && !error ? 'm-2.5,-4.5 h5 l-2.5,4.5 z' : 'm-5,-9 h10 l-5,9 z'}" />
    <title>{f.sentence}</title>
  </g>
{/each}

<style>
  .flag path {
    fill: var(--field);
    stroke: var(--ink);
  }
  .flag.error path {
    fill: var(--over);
    stroke: var(--over);
  }
</style>
