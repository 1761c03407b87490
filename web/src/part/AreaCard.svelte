<script lang="ts">
  /** One area: its name, top and bottom, what it asks of a cutter. */
  import { length, number } from '../format';
  import QuantityField from '../parts/QuantityField.svelte';
  import TextField from '../parts/TextField.svelte';
  import type { Vertex } from '../types';
  import { type Area, climbs } from './areas';
  import type { Desk } from './desk.svelte';
  import ShapeFields from './ShapeFields.svelte';

  let { desk, area, others }: { desk: Desk; area: Area; others: Area[] } = $props();
  const f = $derived(area.feature);
  const layer = $derived(desk.areas.filter((a) => a.feature.layer === f.layer));
  const stockTop = $derived(desk.layout!.stock_picture.max[2]);

  /** Holes of one line share their depth; steps on a slope do not. */
  function bottom(z: number) {
    for (const a of others.length && !climbs(area) ? others : [area]) desk.change(a.name, { bottom: z });
  }
</script>

<div class="card">
  <label class="pick">
    Name
    <TextField
      value={area.name}
      ontake={(typed) => {
        const name = typed.trim();
        if (!name || desk.areas.some((a) => a !== area && a.name === name)) {
          desk.faults = [
            name ? `There is an area ${name} already: give another name.` : 'An area needs a name.',
          ];
          return false;
        }
        desk.faults = [];
        desk.change(area.name, { name });
      }}
    />
  </label>
  <QuantityField
    label="Top"
    value={area.top}
    units={desk.units}
    note="Z"
    onchange={(v) => desk.change(area.name, { top: v })}
  />
  <QuantityField
    label="Depth"
    value={area.bottom === null ? null : stockTop - area.bottom}
    units={desk.units}
    note="from stock top"
    onchange={(v) => bottom(stockTop - Math.abs(v))}
  />
  <QuantityField label="Floor" value={area.bottom} units={desk.units} note="Z" onchange={bottom} />
  {#if f.depth > 0 && area.bottom !== null}
    <QuantityField
      label="Deeper by"
      value={f.bottom - area.bottom}
      units={desk.units}
      note={f.through ? 'than the part’s bottom' : 'than its floor'}
      onchange={(v) => bottom(f.bottom - v)}
    />
  {/if}
  {#if f.layer && area.bottom !== null && layer.length > 1}
    <button class="plain link" onclick={() => desk.layerDepth(f.layer, area.bottom!)}>
      Give all {layer.length} of layer {f.layer} this depth
    </button>
  {/if}
  <p class="quiet">
    {f.kind}, {number(f.area / 100, 2)} cm²{#if f.layer}, layer {f.layer}{/if}
    {#if !climbs(area)}
      <br />{f.narrowest === null ? 'nowhere narrow' : `narrowest place ${length(f.narrowest, desk.units)}`},
      {f.inside_radius === null
        ? 'no inside corner'
        : f.inside_radius < 1e-6
          ? 'sharp inside corners'
          : `smallest inside radius ${length(f.inside_radius, desk.units)}`}<br />
      {f.largest_cutter === null
        ? 'any cutter reaches everything'
        : `cutters up to ${length(f.largest_cutter, desk.units)} reach everything`}{f.inside_radius === 0
        ? ' but the corners'
        : ''}
    {/if}
    {#if f.note}<br />{f.note}{/if}
  </p>
  <label class="pick">
    Levels at
    <TextField
      placeholder="Z of floors in between"
      value={area.floors.join(' ')}
      ontake={(typed) => {
        const floors = typed
          .split(/[\s;]+/)
          .filter(Boolean)
          .map(Number);
        if (!floors.every((z) => Number.isFinite(z))) {
          desk.faults = ['Levels in between are heights in mm, with spaces between them.'];
          return false;
        }
        desk.faults = [];
        desk.change(area.name, { floors });
      }}
    />
  </label>
  {#if !area.found && !area.feature.islands.length}
    <ShapeFields
      outline={area.feature.outline as Vertex[]}
      units={desk.units}
      onchange={(outline) => desk.reshape(area.name, outline)}
    />
  {/if}
  <label class="pick">
    Start in
    <select
      value={area.after[0] ?? ''}
      onchange={(e) =>
        desk.change(area.name, { after: e.currentTarget.value ? [e.currentTarget.value] : [] })}
    >
      <option value="">nothing that is there before</option>
      {#each desk.areas.filter((a) => a.name !== area.name && a.bottom !== null) as a (a.name)}
        <option value={a.name}>{a.name}{a.accepted ? ', cut before' : ', is there already'}</option>
      {/each}
    </select>
  </label>
  {#if !area.found}
    <button class="plain" onclick={() => desk.remove(area.name)}>take away</button>
  {/if}
</div>

<style>
  .card {
    padding: 4px 8px 8px 24px;
    border-bottom: 1px solid var(--rule);
    background: var(--sheet);
  }
  .pick {
    display: grid;
    grid-template-columns: 74px 1fr;
    gap: 6px;
    align-items: center;
  }
  p {
    margin-top: 6px;
    font-size: 13px;
  }
  .link {
    color: var(--pencil);
    text-decoration: underline dotted;
    text-underline-offset: 3px;
  }
  select {
    min-width: 0;
  }
</style>
