<script lang="ts">
  /** How the cutter goes in and about: way in, where, order of areas and levels, both directions. */
  import QuantityField from '../parts/QuantityField.svelte';
  import Holes from './Holes.svelte';
  import PlaceField from './PlaceField.svelte';
  import type { JobDocument, Operation, Region } from '../types';
  import type { BenchState } from './bench.svelte';

  let { bench, operation, regions }: { bench: BenchState; operation: Operation; regions: Region[] } =
    $props();

  const WAYS: [NonNullable<Operation['entry']>, string][] = [
    ['auto', 'the quickest'],
    ['helix', 'helix'],
    ['ramp', 'ramp'],
    ['plunge', 'straight down'],
  ];
  const ORDERS: [NonNullable<Operation['order']>, string][] = [
    ['areas', 'area by area'],
    ['levels', 'level by level'],
  ];
  /** What a first choice takes: conventional cuts load the cutter more at their end (common practice). */
  const BACK = 0.6;
  const back = $derived(operation.conventional ?? 0);

  const goIn = (region: Region, start: Region['start']) =>
    bench.changeRegion(region.name, (r) => ({ ...r, start }));
</script>

<label class="pick">
  Way in
  <select
    value={operation.entry ?? 'auto'}
    onchange={(e) => {
      const entry = e.currentTarget.value as Operation['entry'];
      void bench.changeOperation((o) => ({ ...o, entry }));
    }}
  >
    {#each WAYS as [key, says] (key)}<option value={key}>{says}</option>{/each}
  </select>
</label>
{#if operation.entry === 'plunge' && bench.tool && !bench.tool.centre_cutting}
  <p class="quiet">
    T{bench.tool.number} is not said to cut at its middle.
    <button
      class="plain says"
      onclick={() => {
        const number = operation.tool;
        const cutting = (d: JobDocument) =>
          d.tools.map((t) => (t.number === number ? { ...t, centre_cutting: true } : t));
        void bench.change((d) => d && { ...d, tools: cutting(d) });
      }}>It does</button
    >
  </p>
{/if}
{#if regions.length > 1}<p class="quiet">Go in at</p>{/if}
{#each regions as region (region.name)}
  <PlaceField
    name={regions.length > 1 ? region.name : 'Go in at'}
    label="Where to go into {region.name}, X Y"
    placeholder="X Y, or the quickest"
    value={region.start ?? null}
    onchange={(place) => goIn(region, place)}
    onempty={() => goIn(region, null)}
  />
  <Holes {bench} {region} />
{/each}
{#if regions.length > 1}
  <label class="pick">
    Order
    <select
      value={operation.order ?? 'areas'}
      onchange={(e) => {
        const order = e.currentTarget.value as Operation['order'];
        void bench.changeOperation((o) => ({ ...o, order }));
      }}
    >
      {#each ORDERS as [key, says] (key)}<option value={key}>{says}</option>{/each}
    </select>
  </label>
{/if}
<label class="pick tick">
  <input
    type="checkbox"
    checked={back > 0}
    onchange={(e) => {
      const conventional = e.currentTarget.checked ? BACK : 0;
      void bench.changeOperation((o) => ({ ...o, conventional }));
    }}
  />
  <span>Cut on the way back too, conventional</span>
</label>
{#if back > 0}
  <QuantityField
    label="Bite back"
    value={back * 100}
    kind="share"
    digits={0}
    note="of the bite"
    onchange={(v) =>
      bench.changeOperation((o) => ({ ...o, conventional: Math.min(100, Math.max(5, v)) / 100 }))}
  />
{/if}

<style>
  .pick {
    display: grid;
    grid-template-columns: 74px 1fr;
    gap: 6px;
    align-items: center;
    margin-top: 4px;
  }
  p {
    margin: 4px 0 0;
  }
  .tick {
    grid-template-columns: auto 1fr;
  }
  select {
    min-width: 0;
    width: 100%;
  }
  .says {
    padding: 0 2px;
    text-decoration: underline;
  }
</style>
