<script lang="ts">
  /** A new job: a DXF, which of its areas are cut and how deep, stock, material, machine, cutter. */
  import * as api from '../api/client';
  import { length } from '../format';
  import TopLine from '../parts/TopLine.svelte';
  import QuantityField from '../parts/QuantityField.svelte';
  import { toolFrom } from '../stores';
  import type { JobDocument, ReadDrawing, Stores } from '../types';

  let stores = $state<Stores | null>(null);
  let drawing = $state<ReadDrawing | null>(null);
  let file = $state<File | null>(null);
  let faults = $state<string[]>([]);
  let reading = $state(false);
  let name = $state('');
  let depths = $state<(number | null)[]>([]);
  let chosen = $state<boolean[]>([]);
  let margin = $state(5);
  let thickness = $state<number | null>(null);
  let stockBy = $state<'margin' | 'size'>('margin');
  let size = $state<[number | null, number | null]>([null, null]);
  let material = $state('aluminium-wrought');
  let machine = $state('harbour-mill');
  let cutter = $state('flat-10');

  void api.stores().then((s) => (stores = s));

  async function read(units = '') {
    if (!file) return;
    reading = true;
    try {
      const answer = await api.readDrawing(file, units);
      if (units === '' || answer.areas.length !== depths.length) {
        depths = answer.areas.map(() => null);
        chosen = answer.areas.map(() => true);
        name = file.name.replace(/\.dxf$/i, '').replace(/[-_]/g, ' ');
      }
      [drawing, faults] = [answer, []];
    } catch (error) {
      faults = (error as api.Faults).sentences;
    }
    reading = false;
  }

  function picked(event: Event) {
    file = (event.target as HTMLInputElement).files?.[0] ?? null;
    void read();
  }

  /** The stock seen from above: the drawing with its margins, or a given size about its middle. */
  const stock = $derived.by(() => {
    const [x1, y1, x2, y2] = drawing?.bounds ?? [0, 0, 1, 1];
    const dx = stockBy === 'size' && size[0] !== null ? (size[0] - (x2 - x1)) / 2 : margin;
    const dy = stockBy === 'size' && size[1] !== null ? (size[1] - (y2 - y1)) / 2 : margin;
    return { x1: x1 - dx, y1: y1 - dy, x2: x2 + dx, y2: y2 + dy };
  });

  const view = $derived.by(() => {
    if (!drawing) return { x: 0, y: 0, w: 1, h: 1 };
    const [x1, y1, x2, y2] = drawing.bounds;
    const low = [Math.min(x1, stock.x1), Math.min(y1, stock.y1)] as const;
    const high = [Math.max(x2, stock.x2), Math.max(y2, stock.y2)] as const;
    const pad = 0.04 * Math.max(high[0] - low[0], high[1] - low[1]);
    return {
      x: low[0] - pad,
      y: -high[1] - pad,
      w: high[0] - low[0] + 2 * pad,
      h: high[1] - low[1] + 2 * pad,
    };
  });
  const ring = (points: [number, number][]) => 'M' + points.map(([x, y]) => `${x},${-y}`).join('L') + 'Z';
  const cut = $derived((drawing?.areas ?? []).map((area, i) => ({ area, i })).filter(({ i }) => chosen[i]));
  const missing = $derived(
    !drawing
      ? 'Choose a drawing first.'
      : cut.length === 0
        ? 'Choose at least one area.'
        : cut.some(({ i }) => depths[i] === null)
          ? 'Give the depth of each area that is cut.'
          : stockBy === 'size' && size.includes(null)
            ? 'Give both sizes of the stock.'
            : thickness === null
              ? 'Give the thickness of the stock.'
              : '',
  );

  async function make() {
    if (!drawing || !stores || missing) return;
    const tool = stores.tools.find((t) => t.id === cutter)!;
    const document: JobDocument = {
      format: 'justbite-job',
      version: 1,
      name: name.trim() || 'New job',
      units: 'mm',
      machine,
      material,
      tools: [toolFrom(tool, 1)],
      stock: {
        box: { min: [stock.x1, stock.y1, -thickness!], max: [stock.x2, stock.y2, 0] },
      },
      regions: cut.map(({ area, i }) => ({
        name: area.name,
        outline: area.outline,
        islands: area.islands,
        open_edges: [],
        top: 0,
        bottom: -Math.abs(depths[i]!),
      })),
      operations: [
        {
          name: 'Rough the areas',
          kind: 'rough',
          regions: cut.map(({ area }) => area.name),
          tool: 1,
          reserve: 0.15,
          allowance: { wall: 0.2, floor: 0.1 },
          tolerance: 0.02,
        },
      ],
    };
    try {
      const job = await api.makeJob(document);
      location.hash = `/job/${job.id}`;
    } catch (error) {
      faults = (error as api.Faults).sentences;
    }
  }
</script>

<TopLine>
  <a href="#/" class="quiet">Shelf /</a>
  <span>New job from a drawing</span>
</TopLine>
<main>
  <section class="sheet">
    <h2>1 Drawing</h2>
    <label class="file">
      DXF file
      <input type="file" accept=".dxf" onchange={picked} />
    </label>
    {#if reading}<p class="quiet">Reading …</p>{/if}
    {#each faults as sentence (sentence)}<p class="over" role="alert">{sentence}</p>{/each}
    {#if drawing}
      <p class="row">
        Numbers in the file are
        <select
          aria-label="Units of the drawing"
          value={drawing.units}
          onchange={(e) => read(e.currentTarget.value)}
        >
          <option value="mm">millimetres</option>
          <option value="in">inches</option>
        </select>
        {#if !drawing.units_known}<strong>the file does not say: please check</strong>{/if}
      </p>
      <p class="quiet">
        {length(drawing.bounds[2] - drawing.bounds[0], 'mm')} × {length(
          drawing.bounds[3] - drawing.bounds[1],
          'mm',
        )}
      </p>
      {#each drawing.findings as finding (finding.sentence)}
        <p class="finding"><strong>{finding.severity}</strong> {finding.sentence} {finding.hint}</p>
      {/each}

      <h2>2 What is cut, and how deep</h2>
      {#each drawing.areas as area, i (area.name)}
        <div class="area">
          <label>
            <input type="checkbox" bind:checked={chosen[i]} />
            {area.name}
            <span class="quiet"
              >{area.islands.length
                ? `${area.islands.length} ${area.islands.length === 1 ? 'island' : 'islands'}`
                : ''}</span
            >
          </label>
          <QuantityField
            label="Depth"
            value={depths[i] ?? null}
            disabled={!chosen[i]}
            onchange={(v) => (depths[i] = Math.abs(v))}
          />
        </div>
      {/each}

      <h2>3 Stock</h2>
      <label class="pick">
        Given by
        <select bind:value={stockBy}>
          <option value="margin">margin about the drawing</option>
          <option value="size">its size, drawing in the middle</option>
        </select>
      </label>
      {#if stockBy === 'margin'}
        <QuantityField label="Margin" value={margin} onchange={(v) => (margin = v)} note="on each side" />
      {:else}
        <QuantityField label="Size in X" value={size[0]} onchange={(v) => (size[0] = Math.abs(v))} />
        <QuantityField label="Size in Y" value={size[1]} onchange={(v) => (size[1] = Math.abs(v))} />
      {/if}
      <QuantityField
        label="Thickness"
        value={thickness}
        onchange={(v) => (thickness = Math.abs(v))}
        note="top is Z 0"
      />

      <h2>4 Cut with</h2>
      {#if stores}
        <label class="pick">
          Material
          <select bind:value={material}>
            {#each stores.materials as m (m.id)}<option value={m.id}>{m.name}</option>{/each}
          </select>
        </label>
        <label class="pick">
          Machine
          <select bind:value={machine}>
            {#each stores.machines as m (m.id)}<option value={m.id}>{m.name}</option>{/each}
          </select>
        </label>
        <label class="pick">
          Cutter
          <select bind:value={cutter}>
            {#each stores.tools as t (t.id)}<option value={t.id}>{t.name}</option>{/each}
          </select>
        </label>
      {/if}
      <label class="pick">Name <input type="text" bind:value={name} /></label>
      <p class="make">
        <button class="main" disabled={missing !== ''} onclick={make}>Put it on the bench</button>
        <span class="quiet">{missing}</span>
      </p>
    {:else}
      <p class="quiet">
        Outlines may be lines, arcs, polylines, circles, ellipses and splines. Outlines inside an outline of
        the same layer become its islands.
      </p>
    {/if}
  </section>
  <section class="paper" aria-label="The drawing">
    {#if drawing}
      <svg viewBox="{view.x} {view.y} {view.w} {view.h}">
        <defs>
          <pattern
            id="new-hatch"
            width={view.w / 90}
            height={view.w / 90}
            patternUnits="userSpaceOnUse"
            patternTransform="rotate(45)"
          >
            <line x1="0" y1="0" x2="0" y2={view.w / 90} class="hatch" />
          </pattern>
        </defs>
        <rect
          class="stock"
          x={stock.x1}
          y={-stock.y2}
          width={Math.max(0, stock.x2 - stock.x1)}
          height={Math.max(0, stock.y2 - stock.y1)}
        />
        {#each drawing.areas as area, i (area.name)}
          <path
            d={ring(area.drawn) + area.drawn_islands.map(ring).join('')}
            fill={chosen[i] ? 'url(#new-hatch)' : 'none'}
            fill-rule="evenodd"
            class="edge"
            class:off={!chosen[i]}
          />
        {/each}
        {#each drawing.findings.filter((f) => f.x !== null) as finding (finding.sentence)}
          <circle class="gap" cx={finding.x} cy={-finding.y!} r={view.w / 60} />
        {/each}
      </svg>
    {/if}
  </section>
</main>

<style>
  main {
    display: grid;
    grid-template-columns: 400px 1fr;
    height: calc(100% - 46px);
  }
  .sheet {
    overflow: auto;
    padding: 16px 18px;
    border-right: 1px solid var(--rule);
    display: flex;
    flex-direction: column;
    gap: 8px;
  }
  .sheet h2:not(:first-child) {
    margin-top: 10px;
    padding-top: 10px;
    border-top: 1px solid var(--ink);
  }
  .file,
  .pick {
    display: grid;
    grid-template-columns: 80px 1fr;
    gap: 8px;
    align-items: center;
  }
  .area {
    display: grid;
    grid-template-columns: 150px 1fr;
    align-items: center;
  }
  .finding {
    border-left: 3px solid var(--over);
    padding-left: 8px;
  }
  .make {
    display: flex;
    gap: 12px;
    align-items: center;
    margin-top: 8px;
  }
  .paper {
    background: var(--sheet);
    min-width: 0;
    padding: 20px;
  }
  svg {
    width: 100%;
    height: 100%;
  }
  .stock {
    fill: var(--paper);
    stroke: var(--ink);
    stroke-dasharray: 12 3 3 3;
    vector-effect: non-scaling-stroke;
  }
  .edge {
    stroke: var(--ink);
    stroke-width: 2;
    vector-effect: non-scaling-stroke;
  }
  .edge.off {
    stroke: var(--hatch);
  }
  .hatch {
    stroke: var(--hatch);
    stroke-width: 1;
    vector-effect: non-scaling-stroke;
  }
  .gap {
    fill: none;
    stroke: var(--over);
    stroke-width: 2;
    vector-effect: non-scaling-stroke;
  }
</style>
