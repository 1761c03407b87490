<script lang="ts">
  /** Step 2: which face looks up, which edge is X, and where the datum is. */
  import type { Share } from '../types';
  import TextField from '../parts/TextField.svelte';
  import { datumWords } from './areas';
  import type { Desk } from './desk.svelte';

  let { desk }: { desk: Desk } = $props();
  const datum = $derived(desk.placing.datum);
  const ROWS: Share[] = ['high', 'middle', 'low'];
  const COLUMNS: Share[] = ['low', 'middle', 'high'];
  const holes = $derived(desk.areas.filter((a) => a.feature.diameter !== null));

  function atHole(name: string) {
    const hole = holes.find((a) => a.name === name);
    if (!hole) return;
    const [p, q] = hole.feature.outline;
    const point = desk.toModel([(p![0] + q![0]) / 2, (p![1] + q![1]) / 2, hole.top]);
    void desk.datum({ ...datum, of: 'point', point });
  }
</script>

{#if !desk.isDrawing}
  <div class="buttons">
    <button class:on={desk.tool === 'face'} onclick={() => ((desk.tool = 'face'), (desk.view = 'space'))}>
      Pick what looks up
    </button>
    <button class:on={desk.tool === 'edge'} onclick={() => ((desk.tool = 'edge'), (desk.view = 'space'))}>
      Pick an edge as X
    </button>
  </div>
{/if}
<div class="buttons">
  <button onclick={() => desk.turnBy(90)}>Turn 90°</button>
  <button onclick={() => desk.turnBy(-90)}>Turn back 90°</button>
  {#if !desk.isDrawing}
    <button onclick={() => desk.flip()}>Turn over</button>
  {/if}
</div>
{#if !desk.isDrawing}
  <div class="six" role="group" aria-label="What looks up">
    {#each [['front', 1], ['back', 1], ['left', 0], ['right', 0]] as [side, axis] (side)}
      <button
        class="plain"
        title="The {side} looks up"
        onclick={() => {
          const a = desk.axis(axis as 0 | 1);
          const s = side === 'front' || side === 'left' ? -1 : 1;
          void desk.lookUp([s * a[0], s * a[1], s * a[2]]);
        }}>{side} up</button
      >
    {/each}
  </div>
{/if}

<h3>Datum</h3>
<div class="datum">
  <div class="grid" role="radiogroup" aria-label="Datum seen from above">
    {#each ROWS as y (y)}
      {#each COLUMNS as x (x)}
        {@const on = datum.of !== 'point' && datum.x === x && datum.y === y}
        {@const of = datum.of === 'part' ? 'part' : 'stock'}
        <button
          class="spot"
          class:on
          role="radio"
          aria-checked={on}
          aria-label={datumWords({ ...datum, of, x, y }).split(',')[0]}
          onclick={() => desk.datum({ ...datum, of, x, y, point: null })}
        ></button>
      {/each}
    {/each}
  </div>
  <div class="fields">
    <select
      aria-label="Datum of"
      value={datum.of}
      onchange={(e) =>
        e.currentTarget.value !== 'point' &&
        desk.datum({ ...datum, of: e.currentTarget.value as 'stock' | 'part', point: null })}
    >
      <option value="stock">of the stock</option>
      <option value="part">of the part</option>
      {#if datum.of === 'point'}<option value="point">at the picked point</option>{/if}
    </select>
    <select
      aria-label="Height of the datum"
      value={datum.z}
      onchange={(e) => desk.datum({ ...datum, z: e.currentTarget.value as typeof datum.z })}
    >
      <option value="stock top">Z0 on stock top</option>
      <option value="part top">Z0 on part top</option>
      <option value="part bottom">Z0 on part bottom</option>
      <option value="stock bottom">Z0 on stock bottom</option>
    </select>
    <button class:on={desk.tool === 'datum'} onclick={() => (desk.tool = 'datum')}>Pick a point</button>
  </div>
</div>
{#if holes.length}
  <label class="pick">
    Hole
    <select value="" onchange={(e) => atHole(e.currentTarget.value)}>
      <option value="">the centre of a hole …</option>
      {#each holes as h (h.name)}<option value={h.name}>{h.name}</option>{/each}
    </select>
  </label>
{/if}
<label class="pick">
  Work offset
  <TextField
    list="offsets"
    value={desk.workOffset}
    ontake={(typed) => void (desk.workOffset = typed.trim().toUpperCase() || 'G54')}
  />
</label>
<datalist id="offsets">
  {#each ['G54', 'G55', 'G56', 'G57', 'G58', 'G59', 'G54.1 P1', 'G54.1 P2'] as o (o)}<option value={o}
    ></option>{/each}
</datalist>
<label class="pick">Setup <input type="text" bind:value={desk.setupName} /></label>

<style>
  .buttons,
  .six {
    display: flex;
    flex-wrap: wrap;
    gap: 6px;
  }
  .six button {
    color: var(--pencil);
    text-decoration: underline dotted;
    text-underline-offset: 3px;
  }
  button.on {
    border-color: var(--pencil);
    color: var(--pencil);
  }
  .datum {
    display: flex;
    gap: 16px;
    align-items: center;
  }
  .grid {
    display: grid;
    grid-template-columns: repeat(3, 28px);
    grid-auto-rows: 22px;
    border: 1px dashed var(--ink);
    margin: 8px;
  }
  .spot {
    padding: 0;
    border: 0;
    background: radial-gradient(circle, var(--hatch) 3px, transparent 3.5px);
  }
  .spot.on {
    background: radial-gradient(circle, var(--pencil) 6px, transparent 6.5px);
  }
  .fields {
    display: grid;
    gap: 4px;
  }
  .pick {
    display: grid;
    grid-template-columns: 74px 1fr;
    gap: 6px;
    align-items: center;
  }
  .pick select,
  .pick input {
    min-width: 0;
  }
</style>
