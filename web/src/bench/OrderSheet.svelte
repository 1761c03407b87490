<script lang="ts">
  /** The order sheet of the chosen operation: three cards that unfold in place. */
  import { length, minutes, number } from '../format';
  import QuantityField from '../parts/QuantityField.svelte';
  import { named, ROUGHERS, toolFrom } from '../stores';
  import type { Operation } from '../types';
  import type { BenchState } from './bench.svelte';
  import AreaDepth from './AreaDepth.svelte';
  import { areasSaid } from './lines';
  import Ways from './Ways.svelte';

  let { bench }: { bench: BenchState } = $props();
  let open = $state({ area: true, bite: true, moves: false });

  const operation = $derived(bench.current!);
  const document = $derived(bench.document!);
  const bite = $derived(bench.bite);
  const units = $derived(bench.units);
  const regions = $derived(document.regions.filter((r) => operation.regions.includes(r.name)));
  const deepest = $derived(Math.min(...regions.map((r) => r.bottom)));
  const pinned = $derived(bite?.pinned ?? []);
  const note = (key: string) => (pinned.includes(key) ? 'pinned' : 'worked out');
  const tool = $derived(bench.tool);

  /** What choosing by minutes found, while the plan is fresh. */
  const byMinutes = $derived.by(() => {
    const trials = bench.plan?.fresh ? (bench.report?.trials ?? []) : [];
    const [first, second] = trials;
    if (!first || !second || !bench.report?.path) return '';
    const [took, left] = bench.report.path.choose ? [second, first] : [first, second];
    return (
      `Chosen by minutes: ${minutes(took.seconds)}; ` +
      `a bite of ${length(left.ae, units)} took ${minutes(left.seconds)}.`
    );
  });

  type Pin = 'bite' | 'step_down' | 'speed' | 'feed';
  const withPin = (key: Pin, value: number | null) => (o: Operation) => ({
    ...o,
    [key]: key === 'bite' ? (value === null ? null : { ae: value }) : value,
  });
  const pin = (key: Pin) => (value: number) => void bench.changeOperation(withPin(key, value));
  const live = (key: Pin) => (value: number) => void bench.preview(withPin(key, value));
  const unpin = (key: Pin) => () => void bench.changeOperation(withPin(key, null));

  function chooseTool(choice: string) {
    const stored = bench.stores?.tools.find((t) => t.id === choice);
    const known = document.tools.find((t) => `T${t.number}` === choice);
    if (known) return void bench.changeOperation((o) => ({ ...o, tool: known.number }));
    if (!stored) return;
    const name = operation.name;
    void bench.change((d) => {
      if (!d) return d;
      const next = Math.max(0, ...d.tools.map((t) => t.number)) + 1;
      const operations = d.operations.map((o) => (o.name === name ? { ...o, tool: next } : o));
      return { ...d, tools: [...d.tools, toolFrom(stored, next)], operations };
    });
  }
  const idOf = (value: string | { name: string }) => (typeof value === 'string' ? value : '');
  const nameOf = (value: string | { name: string }, list: { id: string; name: string }[] | undefined) =>
    typeof value === 'string' ? (list?.find((e) => e.id === value)?.name ?? value) : value.name;

  /** The wedge of the bite in the cutter's circle, for the small picture. */
  const wedge = $derived.by(() => {
    const a = ((bite?.angle ?? 0) * Math.PI) / 180;
    const [r, cx, cy] = [27, 34, 34];
    return `M${cx},${cy} L${cx + r},${cy} A${r},${r} 0 ${a > Math.PI ? 1 : 0} 0 ${cx + r * Math.cos(a)},${
      cy - r * Math.sin(a)
    } Z`;
  });
</script>

{#snippet head(key: 'area' | 'bite' | 'moves', title: string, essence: string)}
  <h3>
    <button class="plain card" aria-expanded={open[key]} onclick={() => (open[key] = !open[key])}>
      {title} <span aria-hidden="true">{open[key] ? '–' : '+'}</span>
    </button>
  </h3>
  <p class="quiet">{essence}</p>
{/snippet}

<section aria-label="Order sheet">
  <h2>{operation.name}</h2>
  <p class="quiet">{bench.operation + 1} of {document.operations.length}</p>

  <div class="fold">
    {@render head('area', 'Area & depth', `${areasSaid(regions)}; down to ${length(deepest, units)}`)}
    {#if open.area}
      <AreaDepth {bench} />
    {/if}
  </div>

  <div class="fold">
    {@render head(
      'bite',
      'Cutter & bite',
      tool && bite
        ? `T${tool.number}, ${number(tool.diameter, 2)} mm × ${tool.flutes} flutes, ${number(bite.angle)}° bite, ${bite.steps} ${
            bite.steps === 1 ? 'step' : 'steps'
          }`
        : '',
    )}
    {#if open.bite && bite && tool}
      <div class="picture">
        <svg width="68" height="68" aria-hidden="true">
          <path d={wedge} class="wedge" />
          <circle cx="34" cy="34" r="27" />
          <line
            x1="2"
            x2="66"
            y1={34 - 27 + 54 * (bite.ae / tool.diameter)}
            y2={34 - 27 + 54 * (bite.ae / tool.diameter)}
            class="hidden"
          />
        </svg>
        <p>
          {number(bite.angle, 1)}° engagement<br />
          {number((100 * bite.ae) / tool.diameter, 1)} % of the cutter<br />
          axial contact {number(bite.axial_contact, 2)}
        </p>
      </div>
      <p>
        <button onclick={() => (bench.charting = !bench.charting)}>
          {bench.charting ? 'Back to the drawing' : 'Bite chart'}
        </button>
      </p>
      <label class="pick">
        Cutter
        <select value={`T${operation.tool}`} onchange={(e) => chooseTool(e.currentTarget.value)}>
          <optgroup label="In this job">
            {#each document.tools as t (t.number)}
              <option value={`T${t.number}`}>T{t.number}, {t.name || `${t.diameter} mm`}</option>
            {/each}
          </optgroup>
          <optgroup label="From the stores">
            {#each (bench.stores?.tools ?? []).filter( (t) => ROUGHERS.includes(t.kind ?? '') ) as t (t.id)}<option
                value={t.id}>{t.name}</option
              >{/each}
          </optgroup>
        </select>
      </label>
      <label class="pick">
        Material
        <select
          value={idOf(document.material)}
          onchange={(e) => {
            const material = named(bench.stores?.materials ?? [], e.currentTarget.value);
            void bench.change((d) => d && { ...d, material });
          }}
        >
          {#if typeof document.material !== 'string'}<option value="">{document.material.name}</option>{/if}
          {#each bench.stores?.materials ?? [] as m (m.id)}<option value={m.id}>{m.name}</option>{/each}
        </select>
      </label>
      <label class="pick">
        Machine
        <select
          value={idOf(document.machine)}
          onchange={(e) => {
            const machine = named(bench.stores?.machines ?? [], e.currentTarget.value);
            void bench.change((d) => d && { ...d, machine });
          }}
        >
          {#if typeof document.machine !== 'string'}<option value="">{document.machine.name}</option>{/if}
          {#each bench.stores?.machines ?? [] as m (m.id)}<option value={m.id}>{m.name}</option>{/each}
        </select>
      </label>
      <QuantityField
        label="Bite"
        value={bite.ae}
        {units}
        note={note('ae')}
        pinned={pinned.includes('ae')}
        onchange={pin('bite')}
        onlive={live('bite')}
        onunpin={unpin('bite')}
      />
      <QuantityField
        label="Step-down"
        value={bite.ap}
        {units}
        note={note('ap')}
        pinned={pinned.includes('ap')}
        onchange={pin('step_down')}
        onlive={live('step_down')}
        onunpin={unpin('step_down')}
      />
      <QuantityField
        label="Speed"
        value={bite.speed}
        kind="speed"
        digits={0}
        note={note('speed')}
        pinned={pinned.includes('speed')}
        onchange={pin('speed')}
        onlive={live('speed')}
        onunpin={unpin('speed')}
      />
      <QuantityField
        label="Feed"
        value={bite.feed}
        kind="feed"
        {units}
        digits={0}
        note={note('feed')}
        pinned={pinned.includes('feed')}
        onchange={pin('feed')}
        onlive={live('feed')}
        onunpin={unpin('feed')}
      />
      <QuantityField
        label="Reserve"
        value={100 * (operation.reserve ?? 0)}
        kind="share"
        digits={0}
        note="of the loads"
        onchange={(v) => bench.changeOperation((o) => ({ ...o, reserve: v / 100 }))}
        onlive={(v) => bench.preview((o) => ({ ...o, reserve: v / 100 }))}
      />
      <p class="quiet hint">
        {length(bite.feed_per_tooth, units, 3)} per tooth, chip {length(bite.chip_mean, units, 3)} on average,
        {number(bite.cutting_speed)} m/min, {number(bite.removal_rate, 1)} cm³/min
        {#if bite.basis !== 'catalogue'}<br />Speed and chip: {bite.basis}.{/if}
        {#if byMinutes}<br />{byMinutes}{/if}
      </p>
    {/if}
  </div>

  <div class="fold">
    {@render head(
      'moves',
      'Moves',
      bite
        ? `enter at ${number(bite.entry_feed)} mm/min, hover ${length(operation.hover ?? 0.3, units)}, ${
            operation.conventional ? 'climb and conventional' : 'climb'
          } milling`
        : '',
    )}
    {#if open.moves}
      <Ways {bench} {operation} {regions} />
      <label class="pick follow">
        <input
          type="checkbox"
          checked={operation.follow_bite ?? true}
          onchange={(e) => bench.changeOperation((o) => ({ ...o, follow_bite: e.currentTarget.checked }))}
        />
        <span>
          Feed follows the bite
          {#if bench.plan?.fresh && bench.report?.follow_saved_seconds}
            <span class="quiet">saves {number(bench.report.follow_saved_seconds, 0)} s</span>
          {/if}
        </span>
      </label>
      <QuantityField
        label="Hover"
        value={operation.hover ?? 0.3}
        {units}
        note="lift of links"
        onchange={(v) => bench.changeOperation((o) => ({ ...o, hover: v }))}
      />
      <QuantityField
        label="Return feed"
        value={operation.return_feed ?? null}
        kind="feed"
        {units}
        digits={0}
        note={operation.return_feed ? 'pinned' : 'the most'}
        pinned={operation.return_feed != null}
        onchange={(v) => bench.changeOperation((o) => ({ ...o, return_feed: v }))}
        onunpin={() => bench.changeOperation((o) => ({ ...o, return_feed: null }))}
      />
      <QuantityField
        label="Tolerance"
        value={operation.tolerance ?? 0.02}
        {units}
        note="of the path"
        onchange={(v) => bench.changeOperation((o) => ({ ...o, tolerance: v }))}
      />
      <p class="quiet hint">
        {nameOf(document.machine, bench.stores?.machines)}
      </p>
    {/if}
  </div>
</section>

<style>
  section {
    overflow: auto;
    padding: 14px;
  }
  .fold {
    margin-top: 10px;
    padding-top: 8px;
    border-top: 1px solid var(--ink);
  }
  .card {
    width: 100%;
    display: flex;
    justify-content: space-between;
    padding: 0;
    font-weight: 600;
  }
  .picture {
    display: flex;
    gap: 14px;
    align-items: center;
    margin: 4px 0;
  }
  circle {
    fill: none;
    stroke: var(--ink);
    stroke-width: 1.3;
  }
  .wedge {
    fill: var(--pencil);
  }
  .hidden {
    stroke: var(--hatch);
    stroke-dasharray: 10 3 2 3;
  }
  .pick {
    display: grid;
    grid-template-columns: 74px 1fr;
    gap: 6px;
    align-items: center;
    margin-top: 4px;
  }
  .follow {
    grid-template-columns: auto 1fr;
  }
  .pick select {
    min-width: 0;
  }
  .hint {
    margin-top: 6px;
    font-size: 13px;
  }
</style>
