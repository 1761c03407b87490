<script lang="ts">
  /** The minutes: each operation as long as it lasts, and the whole job. */
  import { minutes } from '../format';
  import type { BenchState } from './bench.svelte';

  let { bench }: { bench: BenchState } = $props();
  const report = $derived(bench.plan?.report ?? null);
  const operations = $derived(
    (bench.document?.operations ?? []).map((o, i) => ({
      name: o.name,
      tool: o.tool,
      // An operation that the plan did not know has no minutes yet.
      seconds: report?.operations[i]?.name === o.name ? report.operations[i].seconds : null,
    })),
  );
  /** Seconds of the plain path of the whole job; null where an operation has none. */
  const plain = $derived.by(() => {
    const all = report?.operations.map((o) => o.plain_seconds) ?? [];
    return all.length && all.every((s) => s != null) ? all.reduce((a, b) => a! + b!, 0) : null;
  });
  const saved = $derived(bench.plan?.fresh ? '' : ' (before the last change)');
</script>

<footer>
  <div class="bar" role="tablist" aria-label="Operations">
    {#each operations as o, i (i)}
      <button
        role="tab"
        aria-selected={i === bench.operation}
        class:chosen={i === bench.operation}
        style:flex-grow={Math.max(o.seconds ?? 1, (report?.seconds ?? operations.length) * 0.16)}
        onclick={() => bench.choose(i)}
      >
        {o.name}
        <span>T{o.tool} · {o.seconds === null ? 'not planned' : minutes(o.seconds)}</span>
      </button>
    {/each}
  </div>
  <div class="whole">
    {#if report}
      <span><strong>{minutes(report.seconds)}</strong> in all{saved}</span>
      <span class="quiet" title="The volume at the best removal rate that the ceilings allow">
        physical limit {minutes(report.limit_seconds)}
      </span>
      {#if plain !== null}
        <span
          class="quiet"
          title="The same areas by parallel offsets, at the feed that their worst engagement allows"
        >
          plain path {minutes(plain)}{plain > report.seconds
            ? `: ${minutes(plain - report.seconds)} saved`
            : ''}
        </span>
      {/if}
    {:else}
      <span class="quiet">Minutes come with the plan.</span>
    {/if}
  </div>
</footer>

<style>
  footer {
    flex: none;
    height: 72px;
    display: grid;
    grid-template-columns: 1fr 268px;
    align-items: center;
    background: var(--sheet);
    border-top: 1px solid var(--ink);
  }
  .bar {
    display: flex;
    gap: 3px;
    padding: 0 16px;
    min-width: 0;
  }
  button {
    flex: 1 1 0;
    min-width: 90px;
    text-align: left;
    padding: 4px 10px;
    overflow: hidden;
    white-space: nowrap;
    background: var(--paper);
  }
  button span {
    display: block;
    font-weight: 400;
    font-size: 13px;
  }
  .chosen {
    background: var(--pencil);
    border-color: var(--pencil);
    color: var(--field);
  }
  .whole {
    display: grid;
    padding: 0 14px;
  }
</style>
