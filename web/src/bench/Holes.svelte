<script lang="ts">
  /** The holes that are drilled into an area before it is cut: where, how wide, how deep. */
  import QuantityField from '../parts/QuantityField.svelte';
  import type { DrilledHole, Region } from '../types';
  import type { BenchState } from './bench.svelte';
  import PlaceField from './PlaceField.svelte';

  let { bench, region }: { bench: BenchState; region: Region } = $props();
  const holes = $derived(region.drilled ?? []);
  /** How wide a hole is taken to be at first, over the cutter: a helix may go on in it where it ends. */
  const ROOMY = 1.3;

  function change(next: (holes: DrilledHole[]) => DrilledHole[]) {
    return bench.changeRegion(region.name, (r) => ({ ...r, drilled: next(r.drilled ?? []) }));
  }
  const set = (at: number, own: Partial<DrilledHole>) =>
    change((all) => all.map((h, i) => (i === at ? { ...h, ...own } : h)));

  function drill(at: [number, number]) {
    const diameter = Math.ceil(2 * ROOMY * (bench.tool?.diameter ?? 10)) / 2;
    return change((all) => [...all, { at, diameter, bottom: null }]);
  }
</script>

{#each holes as hole, i (i)}
  <div class="hole" role="group" aria-label="Hole {i + 1} drilled into {region.name}">
    <PlaceField
      name="Drilled at"
      label="Where hole {i + 1} of {region.name} is drilled, X Y"
      value={hole.at}
      onchange={(at) => set(i, { at })}
    />
    <QuantityField
      label="Diameter"
      value={hole.diameter}
      units={bench.units}
      onchange={(diameter) => set(i, { diameter })}
    />
    <QuantityField
      label="Down to"
      value={hole.bottom ?? null}
      units={bench.units}
      note={hole.bottom == null ? 'the floor' : 'Z'}
      onchange={(bottom) => set(i, { bottom })}
      onunpin={() => set(i, { bottom: null })}
    />
    {#if hole.bottom != null}<p class="quiet">Left empty it goes down to the floor.</p>{/if}
    <button class="plain" onclick={() => change((all) => all.filter((_, k) => k !== i))}
      >No hole is drilled there</button
    >
  </div>
{/each}
{#if region.start && !holes.length}
  <button class="plain" onclick={() => drill(region.start!)}>A hole is drilled there before</button>
{/if}

<style>
  .hole {
    margin: 4px 0 6px;
    padding-left: 8px;
    border-left: 1px solid var(--rule);
  }
  p {
    margin: 2px 0 0;
    font-size: 13px;
  }
  button {
    padding: 0;
    font-size: 13px;
    color: var(--pencil);
    text-decoration: underline;
  }
</style>
