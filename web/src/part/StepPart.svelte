<script lang="ts">
  /** Step 1: the file, its units, its bodies, and what reading noticed. */
  import { length, number } from '../format';
  import type { Desk } from './desk.svelte';

  let { desk, onnewversion = null }: { desk: Desk; onnewversion?: ((file: File) => void) | null } = $props();
  const part = $derived(desk.part);

  function picked(event: Event) {
    const file = (event.target as HTMLInputElement).files?.[0];
    if (!file) return;
    if (onnewversion) onnewversion(file);
    else void desk.open(file);
  }
</script>

<label class="file">
  {onnewversion ? 'New version of the part' : 'Part'}
  <input
    type="file"
    accept=".step,.stp,.stl,.3mf,.dxf,.svg"
    disabled={desk.reading || (onnewversion !== null && !desk.layout)}
    onchange={picked}
  />
</label>
{#if desk.reading}<p class="quiet" role="status">Reading …</p>{/if}
{#if !part && !desk.reading}
  <p class="quiet">
    A solid (STEP), a mesh (STL, 3MF) or a drawing (DXF, SVG). Solids and meshes bring their depths with them;
    a drawing needs them said.
  </p>
{/if}
{#if part}
  {#if part.source !== 'solid'}
    <p class="row">
      Numbers in the file are
      <select
        aria-label="Units of the file"
        value={part.units}
        disabled={!desk.file}
        onchange={(e) => desk.file && desk.open(desk.file, e.currentTarget.value)}
      >
        <option value="mm">millimetres</option>
        <option value="in">inches</option>
      </select>
      {#if !part.units_known}<strong>the file does not say: please check</strong>{/if}
    </p>
  {/if}
  {#if part.bodies.length > 1}
    <label class="pick">
      Body
      <select
        value={desk.placing.body}
        onchange={(e) => desk.lay({ ...desk.placing, body: Number(e.currentTarget.value) })}
      >
        {#each part.bodies as b, i (i)}
          <option value={i}>{b.name}, {b.size.map((v) => number(v, 1)).join(' × ')} mm</option>
        {/each}
      </select>
    </label>
  {/if}
  {@const body = part.bodies[desk.placing.body]}
  {#if body}
    <p class="quiet">
      {body.size
        .slice(0, desk.isDrawing ? 2 : 3)
        .map((v) => length(v, desk.units))
        .join(' × ')}{#if body.volume},
        {number(body.volume / 1000, 1)} cm³{/if}{#if part.source === 'mesh'}, {number(body.triangles)} triangles{/if}
    </p>
  {/if}
  {#each part.findings as f, i (i)}
    <p class="finding">
      <strong>{f.severity}</strong>
      {f.sentence}
      {#if f.code === 'part.open-chain' && desk.file && Number(f.size) < 5}
        <button class="plain link" onclick={() => desk.open(desk.file!, part.units, Number(f.size) * 1.02)}>
          Bridge gaps up to {number(Number(f.size), 2)} mm
        </button>
      {:else}{f.hint}{/if}
    </p>
  {/each}
{/if}

<style>
  .file,
  .pick {
    display: grid;
    grid-template-columns: 74px 1fr;
    gap: 6px;
    align-items: center;
  }
  .file input {
    min-width: 0;
  }
  .finding {
    border-left: 3px solid var(--over);
    padding-left: 8px;
  }
  .link {
    color: var(--pencil);
    text-decoration: underline dotted;
    text-underline-offset: 3px;
  }
</style>
