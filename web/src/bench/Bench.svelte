<script lang="ts">
  /** The bench: order sheet, drawing with load strip, ceilings, and the minutes below. */
  import { onDestroy } from 'svelte';
  import { minutes } from '../format';
  import KeyList from '../parts/KeyList.svelte';
  import TopLine from '../parts/TopLine.svelte';
  import { BenchState } from './bench.svelte';
  import BiteChart from './BiteChart.svelte';
  import Ceilings from './Ceilings.svelte';
  import Drawing from './Drawing.svelte';
  import { gathered } from './findings';
  import LoadStrip from './LoadStrip.svelte';
  import Minutes from './Minutes.svelte';
  import OrderSheet from './OrderSheet.svelte';

  let { id }: { id: number } = $props();
  // svelte-ignore state_referenced_locally
  const bench = new BenchState(id);
  let keys = $state(false);
  void bench.load();
  onDestroy(() => bench.close());

  const KEYS: [string, string][] = [
    ['space', 'run or hold the cutter'],
    [', and .', 'a little back, a little on'],
    ['w', 'whole part into view'],
    ['+ and −', 'nearer, farther'],
    ['arrows', 'move the drawing, when it has the focus'],
    ['1 to 3', 'lens: engagement, feed, order'],
    ['c', 'bite chart, and back'],
    ['n', 'plan'],
    ['u and r', 'undo, redo'],
    ['?', 'this list'],
  ];

  function key(event: KeyboardEvent) {
    const at = event.target as HTMLElement;
    if (/^(INPUT|SELECT|TEXTAREA)$/.test(at.tagName) || event.ctrlKey || event.metaKey || event.altKey)
      return;
    const total = bench.plan?.report?.seconds ?? 0;
    const does: Record<string, () => void> = {
      ',': () => (bench.seconds = Math.max(0, bench.seconds - 0.5)),
      '.': () => (bench.seconds = Math.min(total, bench.seconds + 0.5)),
      '1': () => (bench.lens = 'engagement'),
      '2': () => (bench.lens = 'feed'),
      '3': () => (bench.lens = 'order'),
      c: () => (bench.charting = !bench.charting),
      n: () => void bench.startPlanning(),
      u: () => void bench.undo(),
      r: () => void bench.redo(),
      '?': () => (keys = !keys),
    };
    if (at.tagName !== 'BUTTON') does[' '] = () => (bench.playing = !bench.playing);
    if (keys && event.key === 'Escape') keys = false;
    const action = does[event.key];
    if (action) {
      event.preventDefault();
      action();
    }
  }
  const program = $derived(
    bench.plan?.state === 'done' && bench.plan.fresh ? `/api/plans/${bench.plan.id}/program.nc` : null,
  );
  /** What is wrong with the program that is there to be taken: told at the top, the list lies below the ceilings. */
  const errors = $derived(
    gathered((program && bench.plan?.report?.warnings) || [])
      .map(([, group]) => group[0]!)
      .filter((f) => f.severity === 'error'),
  );
</script>

<svelte:window onkeydown={key} />

<div class="bench">
  <TopLine>
    <a href="#/" class="quiet">Shelf /</a>
    <h1>{bench.document?.name ?? ''}</h1>
    <span class="quiet" title={bench.document?.setup?.datum}>
      {bench.document?.setup?.work_offset ?? 'G54'}, {bench.document?.setup?.name ?? 'Setup 1'}
    </span>
    <span class="spring"></span>
    <button class="plain" disabled={!bench.done.length} onclick={() => bench.undo()}>undo</button>
    <button class="plain" disabled={!bench.undone.length} onclick={() => bench.redo()}>redo</button>
    <button
      class="plain"
      onclick={() => (bench.units = bench.units === 'mm' ? 'in' : 'mm')}
      title="Units shown"
    >
      {bench.units === 'mm' ? 'mm, show inches' : 'in, show millimetres'}
    </button>
    <span class="state" role="status">
      {bench.planWord}
      {#if bench.running && bench.plan}
        <progress max="1" value={bench.plan.progress} aria-label="Planning"></progress>
        {Math.round(100 * bench.plan.progress)} %{#if bench.left !== null}, {minutes(bench.left)} left{/if}
      {/if}
    </span>
    {#if bench.running}
      <button onclick={() => bench.stopPlanning()}>Stop</button>
    {:else}
      <button class:main={!program} onclick={() => bench.startPlanning()} disabled={!bench.document}
        >Plan</button
      >
    {/if}
    {#if program}
      <a class="button" class:main={!errors.length} href={program} download>Take the NC program</a>
    {:else}
      <button disabled title="Plan first: the program belongs to a fresh plan">Take the NC program</button>
    {/if}
    <button class="plain" aria-label="Keys" title="Keys" onclick={() => (keys = !keys)}>?</button>
  </TopLine>
  {#if bench.faults.length || (bench.plan?.sentence && !bench.running)}
    <div class="faults" role="alert">
      {#each bench.faults as sentence (sentence)}<p>{sentence}</p>{/each}
      {#if !bench.faults.length && bench.plan?.sentence}<p>{bench.plan.sentence}</p>{/if}
      <button class="plain" onclick={() => (bench.faults = [])}>put away</button>
    </div>
  {/if}
  {#if errors[0]}
    <div class="faults" role="alert">
      <p>
        <strong>error</strong>
        {errors[0].sentence}
        {errors[0].hint}
        {#if errors.length > 1}
          {errors.length - 1} more under Findings.
        {/if}
      </p>
    </div>
  {/if}
  {#if bench.document && bench.picture}
    <div class="middle">
      <OrderSheet {bench} />
      {#if bench.charting}
        <div class="centre whole"><BiteChart {bench} /></div>
      {:else}
        <div class="centre">
          <Drawing {bench} />
          <LoadStrip {bench} />
        </div>
      {/if}
      <Ceilings {bench} />
    </div>
    <Minutes {bench} />
  {/if}
  {#if keys}
    <KeyList keys={KEYS} />
  {/if}
</div>

<style>
  .bench {
    height: 100%;
    display: flex;
    flex-direction: column;
  }
  h1 {
    font-size: 15px;
    font-weight: 600;
  }
  .spring {
    flex: 1;
  }
  .state {
    display: flex;
    gap: 8px;
    align-items: center;
  }
  progress {
    appearance: none;
    width: 90px;
    height: 8px;
    border: 1px solid var(--ink);
  }
  progress::-webkit-progress-bar {
    background: var(--field);
  }
  progress::-webkit-progress-value {
    background: var(--load-2);
  }
  .faults {
    flex: none;
    display: flex;
    gap: 16px;
    align-items: center;
    padding: 6px 16px;
    border-bottom: 1px solid var(--over);
    background: var(--field);
    color: #b23312;
  }
  .faults button {
    margin-left: auto;
    color: var(--ink);
  }
  .middle {
    flex: 1;
    min-height: 0;
    display: grid;
    grid-template-columns: 268px minmax(0, 1fr) 268px;
  }
  .centre {
    min-height: 0;
    display: grid;
    grid-template-rows: minmax(0, 1fr) 150px;
    background: var(--sheet);
    border: solid var(--rule);
    border-width: 0 1px;
  }
  .centre.whole {
    grid-template-rows: minmax(0, 1fr);
  }
</style>
