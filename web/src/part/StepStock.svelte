<script lang="ts">
  /** Step 3: the stock. */
  import * as api from '../api/client';
  import { length } from '../format';
  import QuantityField from '../parts/QuantityField.svelte';
  import type { Share, StockWish } from '../types';
  import type { Desk } from './desk.svelte';

  let { desk, job = null }: { desk: Desk; job?: number | null } = $props();
  const wish = $derived(desk.placing.stock);
  const stock = $derived(desk.layout!.stock_picture);
  const size = $derived([0, 1, 2].map((k) => stock.max[k]! - stock.min[k]!) as [number, number, number]);
  let jobs = $state.raw<api.JobLine[]>([]);
  let reading = $state(false);
  const SIDES = [
    ['x', 0, 'Left'],
    ['x', 1, 'Right'],
    ['y', 0, 'Front'],
    ['y', 1, 'Back'],
    ['z', 1, 'Above'],
    ['z', 0, 'Below'],
  ] as const;

  function kind(to: string) {
    const low = desk.layout!.bounds;
    const part = [0, 1, 2].map((k) => low[1][k]! - low[0][k]!);
    const wishes: Record<string, StockWish> = {
      margins: { kind: 'margins', x: [0, 0], y: [0, 0], z: [0, 0] },
      size: { kind: 'size', size, off_top: 0, x: 'middle', y: 'middle' },
      'round z': {
        kind: 'round',
        axis: 'z',
        diameter: Math.ceil(Math.hypot(part[0]!, part[1]!)),
        length: null,
        off_end: 0,
      },
      'round x': {
        kind: 'round',
        axis: 'x',
        diameter: Math.ceil(Math.hypot(part[1]!, part[2]!)),
        length: null,
        off_end: 0,
      },
    };
    if (wishes[to]) void desk.stock(wishes[to]);
    else if (to === 'outline') draw('rectangle');
    else if (to === 'job') void api.jobs().then((all) => (jobs = all.filter((j) => j.id !== job)));
    chosen = to;
  }
  let chosen = $state<string | null>(null);
  const shown = $derived(
    chosen ??
      (wish.kind === 'round'
        ? `round ${wish.axis}`
        : wish.kind === 'model'
          ? wish.job
            ? 'job'
            : 'model'
          : wish.kind),
  );

  function draw(tool: 'rectangle' | 'circle' | 'polygon') {
    [desk.purpose, desk.tool, desk.view] = ['stock', tool, 'above'];
  }

  async function model(event: Event) {
    const file = (event.target as HTMLInputElement).files?.[0];
    if (!file) return;
    reading = true;
    try {
      const part = await api.readPart(file);
      await desk.stock({ kind: 'model', part: part.id });
    } catch (error) {
      desk.faults = (error as api.Faults).sentences;
    }
    reading = false;
  }
</script>

<label class="pick">
  Given by
  <select value={shown} onchange={(e) => kind(e.currentTarget.value)}>
    <option value="margins">margins round the part</option>
    <option value="size">its size, the part placed in it</option>
    <option value="round z">round, standing (axis Z)</option>
    <option value="round x">round, lying (axis X)</option>
    <option value="outline">a closed outline</option>
    <option value="model">a model of it</option>
    <option value="job">what an earlier job left</option>
  </select>
</label>
{#if shown === 'margins' && wish.kind === 'margins'}
  {#each SIDES as [axis, end, name] (name)}
    {#if !(desk.isDrawing && name === 'Above')}
      <QuantityField
        label={desk.isDrawing && name === 'Below' ? 'Thickness' : name}
        value={wish[axis][end]}
        units={desk.units}
        onchange={(v) => {
          const pair: [number, number] = [...wish[axis]];
          pair[end] = Math.abs(v);
          void desk.stock({ ...wish, [axis]: pair });
        }}
      />
    {/if}
  {/each}
{:else if shown === 'size' && wish.kind === 'size'}
  {#each ['X', 'Y', 'Z'] as name, k (name)}
    <QuantityField
      label="Size in {name}"
      value={wish.size[k]!}
      units={desk.units}
      onchange={(v) => {
        const to: [number, number, number] = [...wish.size];
        to[k] = Math.abs(v);
        void desk.stock({ ...wish, size: to });
      }}
    />
  {/each}
  <QuantityField
    label="Off the top"
    value={wish.off_top}
    units={desk.units}
    onchange={(v) => desk.stock({ ...wish, off_top: Math.abs(v) })}
  />
  {#each [['x', 'left', 'right'], ['y', 'front', 'back']] as [axis, low, high] (axis)}
    <label class="pick">
      Part in {axis!.toUpperCase()}
      <select
        value={wish[axis as 'x' | 'y']}
        onchange={(e) => desk.stock({ ...wish, [axis!]: e.currentTarget.value as Share })}
      >
        <option value="low">at the {low}</option>
        <option value="middle">in the middle</option>
        <option value="high">at the {high}</option>
      </select>
    </label>
  {/each}
{:else if wish.kind === 'round' && shown.startsWith('round')}
  <QuantityField
    label="Diameter"
    value={wish.diameter}
    units={desk.units}
    onchange={(v) => desk.stock({ ...wish, diameter: Math.abs(v) })}
  />
  <QuantityField
    label="Length"
    value={wish.length ?? (wish.axis === 'z' ? size[2] : size[0])}
    units={desk.units}
    note={wish.length === null ? 'as the part' : ''}
    onchange={(v) => desk.stock({ ...wish, length: Math.abs(v) })}
  />
  <QuantityField
    label={wish.axis === 'z' ? 'Off the top' : 'Off the end'}
    value={wish.off_end}
    units={desk.units}
    onchange={(v) => desk.stock({ ...wish, off_end: Math.abs(v) })}
  />
{:else if shown === 'outline'}
  <p class="quiet">Draw the outline of the stock as it truly is, so that no air is cut.</p>
  <div class="buttons">
    <button onclick={() => draw('rectangle')}>Rectangle</button>
    <button onclick={() => draw('circle')}>Circle</button>
    <button onclick={() => draw('polygon')}>Polygon</button>
  </div>
  {#if wish.kind === 'outline'}
    <QuantityField
      label="Off the top"
      value={wish.off_top}
      units={desk.units}
      onchange={(v) => desk.stock({ ...wish, off_top: Math.abs(v) })}
    />
    <QuantityField
      label="Below"
      value={wish.below}
      units={desk.units}
      onchange={(v) => desk.stock({ ...wish, below: Math.abs(v) })}
    />
  {/if}
{:else if shown === 'model'}
  <label class="pick">
    Model
    <input type="file" accept=".step,.stp,.stl,.3mf" onchange={model} />
  </label>
  <p class="quiet">{reading ? 'Reading …' : 'A casting or forging, in the same coordinates as the part.'}</p>
{:else if shown === 'job'}
  <label class="pick">
    Job
    <select
      value={wish.kind === 'model' ? String(wish.job ?? '') : ''}
      onchange={(e) =>
        e.currentTarget.value && desk.stock({ kind: 'model', job: Number(e.currentTarget.value) })}
    >
      <option value="">choose the earlier setup …</option>
      {#each jobs as j (j.id)}<option value={String(j.id)}>{j.name}</option>{/each}
    </select>
  </label>
{/if}
<p class="quiet">{size.map((v) => length(v, desk.units)).join(' × ')}</p>

<style>
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
  .buttons {
    display: flex;
    gap: 6px;
  }
</style>
