<script lang="ts">
  /** Which areas an operation cuts, how deep, what it leaves on; and the operation for what it cannot reach. */
  import { range } from '../format';
  import QuantityField from '../parts/QuantityField.svelte';
  import type { Region } from '../types';
  import type { BenchState } from './bench.svelte';
  import { linesOf } from './lines';
  import { withRest, without } from './rest';

  let { bench }: { bench: BenchState } = $props();
  const operation = $derived(bench.current!);
  const document = $derived(bench.document!);
  const units = $derived(bench.units);
  const regions = $derived(document.regions.filter((r) => operation.regions.includes(r.name)));
  let each = $state(false);
  const lines = $derived(linesOf(regions, each));
  /** Whether some are together unless each is asked for. */
  const alike = $derived(linesOf(regions, false).length < linesOf(regions, true).length);
  function floors(own: Region[]): string {
    const z = own.map((r) => r.bottom);
    return `floor${own.length > 1 ? 's' : ''} Z ${range(Math.min(...z), Math.max(...z), units)}`;
  }
  function leaveOut(own: Region[]) {
    const names = own.map((r) => r.name);
    void bench.changeOperation((o) => ({ ...o, regions: o.regions.filter((n) => !names.includes(n)) }));
  }
  const others = $derived(document.regions.filter((r) => !operation.regions.includes(r.name)));
  const rest = $derived(withRest(document, bench.operation, bench.stores?.tools ?? []));
  async function addRest() {
    if (!rest) return;
    const next = bench.operation + 1;
    await bench.change(rest);
    if (bench.document?.operations[next]) await bench.choose(next);
  }
  function remove() {
    // The one that is looked at now, wherever it stands when its turn comes.
    const name = operation.name;
    void bench.change((d) => d && without(d, name));
  }
  function take(list: HTMLSelectElement) {
    const name = list.value;
    list.value = '';
    if (name) void bench.changeOperation((o) => ({ ...o, regions: [...o.regions, name] }));
  }
</script>

{#each lines as line (line.name)}
  {#if line.kind === 'steps'}
    <p class="steps">
      {line.name}: {line.regions.length === 1 ? 'one step' : `${line.regions.length} steps`}
      <span class="quiet">{floors(line.regions)}</span>
    </p>
  {:else}
    <QuantityField
      label={line.name}
      value={line.regions[0]!.bottom}
      {units}
      note={line.regions.length > 1 ? 'floors Z' : 'floor Z'}
      onchange={(v) =>
        bench.changeRegions(
          line.regions.map((r) => r.name),
          (r) => ({ ...r, bottom: v }),
        )}
    />
  {/if}
  {#if lines.length > 1}
    <button
      class="plain drop"
      aria-label="Leave {line.name} out of this operation"
      onclick={() => leaveOut(line.regions)}>leave out</button
    >
  {/if}
{/each}
{#if alike}
  <button class="plain drop" onclick={() => (each = !each)}
    >{each ? 'areas as deep as each other together' : 'each area by itself'}</button
  >
{/if}
<QuantityField
  label="Walls"
  value={operation.allowance?.wall ?? 0}
  {units}
  note="left on"
  onchange={(v) => bench.changeOperation((o) => ({ ...o, allowance: { ...o.allowance, wall: v } }))}
/>
<QuantityField
  label="Floors"
  value={operation.allowance?.floor ?? 0}
  {units}
  note="left on"
  onchange={(v) => bench.changeOperation((o) => ({ ...o, allowance: { ...o.allowance, floor: v } }))}
/>
{#if others.length}
  <label class="pick">
    Add
    <select value="" onchange={(e) => take(e.currentTarget)}>
      <option value="">an area of the job …</option>
      {#each others as r (r.name)}<option value={r.name}>{r.name}</option>{/each}
    </select>
  </label>
{/if}
<p class="quiet hint">
  Click an edge in the drawing to open or close it.
  {#if document.part}<a href="#/job/{bench.id}/part">Part and areas …</a>{/if}
</p>
<p class="more">
  <button class="plain" disabled={!rest} onclick={addRest}>Take the rest with a smaller cutter</button>
  {#if document.operations.length > 1}
    <button class="plain" onclick={remove}>Remove this operation</button>
  {/if}
</p>

<style>
  .more {
    display: flex;
    flex-wrap: wrap;
    gap: 2px 12px;
    font-size: 13px;
  }
  .more button {
    padding: 0;
    color: var(--pencil);
    text-decoration: underline;
  }
  .more button:disabled {
    color: var(--quiet);
    text-decoration: none;
  }
  .drop {
    display: block;
    margin: -2px 0 2px auto;
    font-size: 12.5px;
    color: var(--quiet);
  }
  .steps {
    display: flex;
    justify-content: space-between;
    gap: 8px;
    margin: 4px 0;
    font-size: 13px;
  }
  .hint {
    margin-top: 6px;
    font-size: 13px;
  }
  .pick {
    display: grid;
    grid-template-columns: 74px 1fr;
    gap: 6px;
    align-items: center;
    margin-top: 4px;
  }
  .pick select {
    min-width: 0;
  }
</style>
