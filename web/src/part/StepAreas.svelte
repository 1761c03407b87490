<script lang="ts">
  /** Step 4: what is cut: areas to accept, their depths, chains, slices, shapes by hand, keep-outs. */
  import { number, range } from '../format';
  import QuantityField from '../parts/QuantityField.svelte';
  import AreaCard from './AreaCard.svelte';
  import type { Area } from './areas';
  import type { Desk, Tool } from './desk.svelte';
  import ShapeFields from './ShapeFields.svelte';

  let { desk }: { desk: Desk } = $props();
  let slice = $state<number | null>(null);
  let strip = $state(3);
  let right = $state(false);
  let depth = $state<number | null>(null);
  const top = $derived(desk.layout!.stock_picture.max[2]);
  const layers = $derived(desk.areas.some((a) => a.bottom === null && a.feature.layer_depth !== null));
  const details = $derived(desk.layout!.details);

  /** Holes of one size share a line, and so do the steps on one slope; everything else has its own. */
  const lines = $derived.by(() => {
    const out: { name: string; areas: Area[] }[] = [];
    for (const a of desk.areas) {
      const d = a.feature.diameter;
      const group = a.feature.group
        ? `steps on ${a.feature.group}`
        : d !== null
          ? `holes ${number(d, 2)} mm, ${a.feature.through ? 'through' : number(a.feature.depth, 2)}`
          : null;
      const name = group ?? a.name;
      const line = group ? out.find((l) => l.name === name) : undefined;
      if (line) line.areas.push(a);
      else out.push({ name, areas: [a] });
    }
    return out.map((l) => (l.areas.length === 1 ? { ...l, name: l.areas[0]!.name } : l));
  });

  function essence(areas: Area[]): string {
    const deep = areas.flatMap((a) => (a.bottom === null ? [] : [a.top - a.bottom]));
    const widest = areas.flatMap((a) => a.feature.largest_cutter ?? []);
    const said = [
      deep.length ? `${range(Math.min(...deep), Math.max(...deep), desk.units)} deep` : 'depth not given',
      widest.length ? `cutter ≤ ${number(Math.min(...widest), 2)}` : '',
    ];
    return said.filter(Boolean).join(', ');
  }

  function draw(tool: Tool, purpose: Desk['purpose']) {
    [desk.tool, desk.purpose, desk.view] = [tool, purpose, 'above'];
  }

  function select(event: MouseEvent, line: { areas: Area[] }) {
    const names = line.areas.map((a) => a.name);
    desk.selected = event.shiftKey || event.ctrlKey ? [...new Set([...desk.selected, ...names])] : names;
  }
  const pockets = $derived(
    desk.areas.filter((a) => a.feature.diameter === null && a.feature.kind !== 'outside').map((a) => a.name),
  );
  const single = $derived(
    desk.selected.length >= 1 ? desk.areas.find((a) => a.name === desk.selected[0]) : undefined,
  );
</script>

{#if layers}
  <p>
    <button onclick={() => desk.takeLayerDepths()}>Take depths from the layers’ names</button>
  </p>
{/if}
{#if desk.areas.length > 1}
  <div class="buttons">
    <span class="quiet">Take</span>
    <button
      class="plain link"
      onclick={() =>
        desk.accept(
          desk.areas.map((a) => a.name),
          true,
        )}>all</button
    >
    <button class="plain link" onclick={() => desk.accept(pockets, true)}
      >all but holes and the outside</button
    >
    <button
      class="plain link"
      onclick={() =>
        desk.accept(
          desk.areas.map((a) => a.name),
          false,
        )}>none</button
    >
  </div>
{/if}
<ul>
  {#each lines as l (l.name)}
    {@const all = l.areas.every((a) => a.accepted)}
    {@const chosen = l.areas.some((a) => desk.selected.includes(a.name))}
    <li
      class:chosen
      onpointerenter={() => (desk.hovered = l.areas[0]!.name)}
      onpointerleave={() => (desk.hovered = null)}
    >
      <input
        type="checkbox"
        aria-label="Cut {l.name}"
        checked={all}
        indeterminate={!all && l.areas.some((a) => a.accepted)}
        onchange={(e) =>
          desk.accept(
            l.areas.map((a) => a.name),
            e.currentTarget.checked,
          )}
      />
      <button class="plain name" aria-pressed={chosen} onclick={(e) => select(e, l)}>
        {l.areas.length > 1 ? `${l.areas.length} ${l.name}` : l.name}
        <span class="quiet">{essence(l.areas)}</span>
      </button>
    </li>
    <!-- Each has a card of its own: what is typed in one and read late is not for the next one that is chosen. -->
    {#each l.areas.filter((a) => a === single) as area (area.name)}
      <AreaCard {desk} {area} others={l.areas.length > 1 ? l.areas : []} />
    {/each}
  {/each}
</ul>
{#if !desk.areas.length}<p class="quiet">
    Nothing was found to cut from this side. Turn the part, or draw an area.
  </p>{/if}
{#if desk.selected.length > 1 && new Set(desk.selected).size > 1}
  <button onclick={() => desk.merge()}>Make one area of {desk.selected.length}</button>
{/if}
{#if single}
  <button class:on={desk.tool === 'split'} onclick={() => draw('split', 'area')}
    >Split {single.name} along a line</button
  >
{/if}

<h3>More to cut</h3>
<div class="buttons">
  <button
    class:on={desk.tool === 'chain'}
    onclick={() => (
      (desk.tool = 'chain'),
      (desk.view = 'above'),
      (desk.chain = null),
      (desk.chainPick = null)
    )}
  >
    Pick a chain of edges
  </button>
  <select aria-label="Chain follows" bind:value={desk.follow}>
    <option value="height">same height</option>
    <option value="tangent">tangent</option>
  </select>
</div>
{#if desk.chain && desk.chainPick}
  <div class="card">
    <p>
      {desk.chain.closed ? 'A closed chain' : `An open chain, gap ${number(desk.chain.gap, 2)} mm`} at Z
      {number(desk.chain.z, 2)}
    </p>
    <QuantityField
      label="Depth"
      value={depth}
      units={desk.units}
      note="from stock top"
      onchange={(v) => (depth = Math.abs(v))}
    />
    <button
      disabled={depth === null}
      onclick={() => desk.takeChain({ bottom: top - depth!, bridge: true, width: null, right: false })}
    >
      {desk.chain.closed ? 'Area inside it' : 'Bridge the gap, area inside it'}
    </button>
    <QuantityField
      label="Strip"
      value={strip}
      units={desk.units}
      note="wide, beside it"
      onchange={(v) => (strip = Math.abs(v))}
    />
    <label><input type="checkbox" bind:checked={right} /> on the right of the way it was picked</label>
    <button
      disabled={depth === null}
      onclick={() => desk.takeChain({ bottom: top - depth!, bridge: false, width: strip, right })}
    >
      Strip beside it
    </button>
  </div>
{/if}
{#if !desk.isDrawing}
  <div class="slice">
    <QuantityField label="Slice at Z" value={slice} units={desk.units} onchange={(v) => (slice = v)} />
    <button disabled={slice === null} onclick={() => desk.slice(slice!)}>Add</button>
  </div>
{/if}
<div class="buttons">
  <span>Draw</span>
  <button onclick={() => draw('rectangle', 'area')}>Rectangle</button>
  <button onclick={() => draw('circle', 'area')}>Circle</button>
  <button onclick={() => draw('polygon', 'area')}>Polygon</button>
</div>

<h3>Keep-outs</h3>
<div class="buttons">
  <button onclick={() => draw('rectangle', 'keep-out')}>Rectangle</button>
  <button onclick={() => draw('circle', 'keep-out')}>Circle</button>
  <button onclick={() => draw('polygon', 'keep-out')}>Polygon</button>
</div>
{#each desk.keepOuts as k (k.name)}
  <div class="card">
    <p class="line">
      <strong>{k.name}</strong>
      <button class="plain" aria-label="Take {k.name} away" onclick={() => desk.changeKeepOut(k.name, null)}
        >take away</button
      >
    </p>
    <ShapeFields
      outline={k.outline}
      units={desk.units}
      onchange={(outline) => desk.changeKeepOut(k.name, { outline })}
    />
    <QuantityField
      label="Top"
      value={k.top}
      units={desk.units}
      note="Z"
      onchange={(v) => desk.changeKeepOut(k.name, { top: v })}
    />
  </div>
{/each}
{#if details.length}
  <h3>Also on the part</h3>
  <p class="quiet">
    {details.map((d) => `${d.count} × ${d.kind} ${number(d.size, 2)} mm`).join(', ')}
  </p>
{/if}

<style>
  ul {
    list-style: none;
    margin: 0;
    padding: 0;
  }
  li {
    display: flex;
    align-items: center;
    gap: 6px;
    border-bottom: 1px solid var(--rule);
  }
  li:hover,
  li.chosen {
    background: color-mix(in srgb, var(--pencil) 9%, transparent);
  }
  .name {
    flex: 1;
    display: flex;
    justify-content: space-between;
    gap: 8px;
    padding: 4px 2px;
    text-align: left;
  }
  .name .quiet {
    text-align: right;
    font-size: 13px;
  }
  .buttons {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 6px;
  }
  button.on {
    border-color: var(--pencil);
    color: var(--pencil);
  }
  .card {
    display: grid;
    gap: 4px;
    padding: 6px 8px 8px;
    border: 1px solid var(--rule);
    background: var(--sheet);
  }
  .card > button {
    justify-self: start;
  }
  .link {
    color: var(--pencil);
    text-decoration: underline dotted;
    text-underline-offset: 3px;
  }
  .slice {
    display: grid;
    grid-template-columns: 1fr auto;
    gap: 6px;
    align-items: end;
  }
  .line {
    display: flex;
    justify-content: space-between;
  }
</style>
