<script lang="ts">
  /** The bite chart: removal rate over ae and ap, the borders of the ceilings, the point to drag. */
  import { loadColour, number } from '../format';
  import type { BenchState } from './bench.svelte';
  import { contour, rounded } from './contours';

  let { bench }: { bench: BenchState } = $props();
  let size = $state({ width: 700, height: 560 });
  let dragging = $state(false);
  const M = { left: 56, right: 18, top: 16, bottom: 44 };

  const chart = $derived(bench.chart);
  const bite = $derived(bench.bite);
  const lobesHigh = 110;
  const w = $derived(Math.max(10, size.width - M.left - M.right));
  const h = $derived(Math.max(10, size.height - M.top - M.bottom - lobesHigh - 62));
  const top = $derived(chart ? chart.ap.at(-1)! : 1);
  const right = $derived(chart ? chart.ae.at(-1)! : 1);
  const toX = (ae: number) => M.left + (ae / right) * w;
  const toY = (ap: number) => M.top + h - (ap / top) * h;
  const most = $derived(chart ? Math.max(...chart.removal.flat()) : 1);
  const levels = $derived(rounded(most, 6));
  const line = (points: [number, number][]) => points.map(([a, p]) => `${toX(a)},${toY(p)}`).join('L');
  const diameter = $derived(bench.tool?.diameter ?? 1);

  /** Names of borders, kept apart from each other. */
  const labels = $derived.by(() => {
    const placed: { name: string; x: number; y: number; hard: boolean }[] = [];
    for (const b of chart?.borders ?? []) {
      const at = b.points[Math.floor(b.points.length * (b.hard ? 0.85 : 0.3))]!;
      const spot = { name: b.name, x: toX(at[0]) + 6, y: toY(at[1]) - 5, hard: b.hard };
      while (placed.some((p) => Math.abs(p.y - spot.y) < 15 && Math.abs(p.x - spot.x) < 100)) spot.y += 15;
      placed.push(spot);
    }
    return placed;
  });
  /** Beyond a border that no feed relieves: the strip to the right of it, or above. */
  const forbidden = $derived.by(() => {
    const hard = chart?.borders.filter((b) => b.hard) ?? [];
    const engagement = hard.find((b) => b.name === 'engagement')?.points[0]?.[0] ?? right;
    const deep = Math.min(top, ...hard.filter((b) => b.name !== 'engagement').map((b) => b.points[0]![1]));
    return { ae: engagement, ap: deep };
  });
  const speeds = $derived(chart?.lobes ?? []);
  const n1 = $derived(speeds[0]?.[0] ?? 0);
  const n2 = $derived(speeds.at(-1)?.[0] ?? 1);
  const deepest = $derived(Math.max(0.1, ...speeds.map((s) => s[1])));
  const lobeTop = $derived(M.top + h + M.bottom + 22);
  const lobeX = (n: number) => M.left + ((n - n1) / Math.max(1e-9, n2 - n1)) * w;
  const lobeY = (p: number) => lobeTop + lobesHigh - 26 - (Math.min(p, deepest) / deepest) * (lobesHigh - 36);

  $effect(() => {
    if (bench.document) void bench.askChart();
  });

  function under(event: PointerEvent): { ae: number; ap: number } {
    const box = (event.currentTarget as SVGElement).getBoundingClientRect();
    const ae = ((event.clientX - box.left - M.left) / w) * right;
    let ap = ((M.top + h - (event.clientY - box.top)) / h) * top;
    // Near a row of equal step-downs the point snaps to it.
    for (const row of chart?.rows ?? []) if (Math.abs(row.ap - ap) < (6 / h) * top) ap = row.ap;
    return {
      ae: Math.min(diameter, Math.max(0.01 * diameter, ae)),
      ap: Math.min(top, Math.max(0.02 * top, ap)),
    };
  }

  const pinned = (p: { ae: number; ap: number }) => (o: NonNullable<typeof bench.current>) => ({
    ...o,
    bite: { ae: Number(p.ae.toFixed(3)) },
    step_down: Number(p.ap.toFixed(3)),
  });

  function down(event: PointerEvent) {
    if (event.button !== 0) return;
    (event.currentTarget as SVGElement).setPointerCapture(event.pointerId);
    dragging = true;
    void bench.preview(pinned(under(event)));
  }
  function move(event: PointerEvent) {
    if (dragging) void bench.preview(pinned(under(event)));
  }
  function up(event: PointerEvent) {
    if (!dragging) return;
    dragging = false;
    void bench.changeOperation(pinned(under(event)));
  }

  function key(event: KeyboardEvent) {
    if (!bite) return;
    const step: Record<string, [number, number]> = {
      ArrowLeft: [-0.01 * diameter, 0],
      ArrowRight: [0.01 * diameter, 0],
      ArrowUp: [0, 0.02 * top],
      ArrowDown: [0, -0.02 * top],
    };
    const by = step[event.key];
    if (!by) return;
    event.preventDefault();
    const to = { ae: Math.max(0.01 * diameter, bite.ae + by[0]), ap: Math.max(0.02 * top, bite.ap + by[1]) };
    void bench.changeOperation(pinned(to));
  }
  const free = () => bench.changeOperation((o) => ({ ...o, bite: null, step_down: null }));
</script>

<div class="chart" bind:clientWidth={size.width} bind:clientHeight={size.height}>
  {#if chart && bite}
    <div class="bar">
      <strong>Bite chart</strong>
      <span class="quiet">
        {number(bite.ae, 2)} mm wide, {number(bite.ap, 2)} mm deep in {bite.steps}
        {bite.steps === 1 ? 'step' : 'steps'}: {number(bite.removal_rate, 1)} of at best {number(
          bite.best_removal_rate,
          1,
        )} cm³/min. Drag the point, or use the arrows.
      </span>
      <button class="plain" onclick={free} disabled={!bite.pinned.length}>work it out</button>
      <button class="plain" onclick={() => (bench.charting = false)}>back to the drawing</button>
    </div>
    <!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions -->
    <svg
      width={size.width}
      height={size.height - 36}
      role="application"
      tabindex="0"
      aria-label="Bite chart: removal rate over radial and axial depth"
      onpointerdown={down}
      onpointermove={move}
      onpointerup={up}
      onkeydown={key}
    >
      <defs>
        <pattern id="no" width="7" height="7" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <line x1="0" y1="0" x2="0" y2="7" class="no" />
        </pattern>
        <clipPath id="map"><rect x={M.left} y={M.top} width={w} height={h} /></clipPath>
      </defs>
      <rect x={M.left} y={M.top} width={w} height={h} class="ground" />
      <g clip-path="url(#map)">
        {#each levels as level (level)}
          {@const [r, g, b] = loadColour(level / most)}
          <path
            d={contour(chart.ae, chart.ap, chart.removal, level)
              .map(([x1, y1, x2, y2]) => `M${toX(x1)},${toY(y1)}L${toX(x2)},${toY(y2)}`)
              .join('')}
            class="level"
            style:stroke="rgb({r},{g},{b})"
          />
        {/each}
        <rect
          x={toX(forbidden.ae)}
          y={M.top}
          width={Math.max(0, M.left + w - toX(forbidden.ae))}
          height={h}
          fill="url(#no)"
        />
        <rect
          x={M.left}
          y={M.top}
          width={Math.max(0, toX(forbidden.ae) - M.left)}
          height={Math.max(0, toY(forbidden.ap) - M.top)}
          fill="url(#no)"
        />
        {#each chart.rows as row (row.steps)}
          <path d="M{M.left},{toY(row.ap)}H{M.left + w}" class="row" />
        {/each}
        {#each chart.contact as c (c.number)}
          <path d="M{M.left},{toY(c.ap)}H{M.left + w}" class="contact" />
        {/each}
        {#each chart.borders as b (b.name)}
          <path d="M{line(b.points)}" class="border" class:hard={b.hard} />
        {/each}
        {#if !chart.chatter_estimated}<path d="M{line(chart.chatter)}" class="chatter" />{/if}
      </g>
      {#each labels as l (l.name)}
        <text x={l.x} y={l.y} class="name"
          >{l.name}{l.hard || l.name === 'feed in curves' ? '' : ' holds the feed back'}</text
        >
      {/each}
      {#each chart.rows.filter((r) => r.steps <= 5) as row (row.steps)}
        <text x={M.left + w - 4} y={toY(row.ap) - 3} class="right">
          {row.steps}
          {row.steps === 1 ? 'step' : 'steps'}
        </text>
      {/each}
      {#each chart.contact as c (c.number)}
        <text x={M.left + 4} y={toY(c.ap) - 3} class="contact-name">axial contact {c.number}</text>
      {/each}
      {#each levels as level (level)}
        {@const s = contour(chart.ae, chart.ap, chart.removal, level).at(-1)}
        {#if s}<text x={toX(s[0])} y={toY(s[1]) + 4} class="figure">{number(level, level < 10 ? 1 : 0)}</text
          >{/if}
      {/each}
      {#each rounded(right, 8) as a (a)}
        <text x={toX(a)} y={M.top + h + 16} class="tick">{number(a, 2)}</text>
      {/each}
      {#each rounded(top, 8) as p (p)}
        <text x={M.left - 6} y={toY(p) + 4} class="tick end">{number(p, 2)}</text>
      {/each}
      <text x={M.left + w / 2} y={M.top + h + 34} class="tick"
        >radial depth ae, mm (contours: removal rate, cm³/min)</text
      >
      <text x={14} y={M.top + h / 2} class="tick" transform="rotate(-90 14 {M.top + h / 2})"
        >axial depth ap, mm</text
      >
      <path
        d="M{toX(chart.best[0]) - 7},{toY(chart.best[1])}h14M{toX(chart.best[0])},{toY(chart.best[1]) - 7}v14"
        class="best"
      />
      <text x={toX(chart.best[0]) + 10} y={toY(chart.best[1]) + 16} class="name">best</text>
      <circle cx={toX(bite.ae)} cy={toY(bite.ap)} r="8" class="point" />
      <circle cx={toX(bite.ae)} cy={toY(bite.ap)} r="2.5" class="dot" />
      <text x={M.left} y={lobeTop - 2} class="tick start">
        Chatter: deepest stable step over spindle speed{chart.chatter_estimated
          ? ', estimated from the cutter’s size, without helix'
          : ', from the measured tool point'}
      </text>
      <path
        d="M{speeds.map(([n, p]) => `${lobeX(n)},${lobeY(p)}`).join('L')}"
        class="lobes"
        class:guess={chart.chatter_estimated}
      />
      <path d="M{M.left},{lobeTop + lobesHigh - 26}H{M.left + w}" class="row" />
      <path d="M{lobeX(bite.speed)},{lobeTop + 4}V{lobeTop + lobesHigh - 26}" class="working" />
      <circle cx={lobeX(bite.speed)} cy={lobeY(bite.ap)} r="4" class="point" />
      {#each rounded(n2, 8).filter((n) => n > n1) as n (n)}
        <text x={lobeX(n)} y={lobeTop + lobesHigh - 11} class="tick">{number(n)}</text>
      {/each}
      <text x={M.left - 6} y={lobeY(deepest) + 4} class="tick end">{number(deepest, 1)}</text>
    </svg>
  {:else}
    <p class="quiet waiting">Drawing the chart …</p>
  {/if}
</div>

<style>
  .chart {
    min-height: 0;
    height: 100%;
    overflow: hidden;
  }
  .bar {
    display: flex;
    gap: 14px;
    align-items: center;
    height: 36px;
    padding: 0 12px;
    border-bottom: 1px solid var(--rule);
    white-space: nowrap;
    overflow: hidden;
  }
  .bar .quiet {
    flex: 1;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  svg {
    display: block;
    touch-action: none;
    cursor: crosshair;
  }
  .ground {
    fill: var(--field);
    stroke: var(--ink);
  }
  path {
    fill: none;
  }
  .level {
    stroke-width: 2;
  }
  .row {
    stroke: var(--rule);
  }
  .contact {
    stroke: var(--hatch);
    stroke-dasharray: 12 3 2 3;
  }
  .border {
    stroke: var(--ink);
    stroke-width: 1.4;
    stroke-dasharray: 7 3;
  }
  .border.hard {
    stroke-dasharray: none;
    stroke-width: 2;
  }
  .no {
    stroke: var(--hatch);
    stroke-width: 1.4;
  }
  .chatter,
  .lobes {
    stroke: var(--over);
    stroke-width: 1.8;
  }
  .lobes.guess {
    stroke: var(--quiet);
    stroke-dasharray: 4 3;
  }
  .working {
    stroke: var(--pencil);
    stroke-dasharray: 2 3;
  }
  .best {
    stroke: var(--ink);
    stroke-width: 2;
  }
  .point {
    fill: color-mix(in srgb, var(--pencil) 25%, transparent);
    stroke: var(--pencil);
    stroke-width: 2;
  }
  .dot {
    fill: var(--pencil);
  }
  text {
    font-size: 12.5px;
    fill: var(--ink);
    pointer-events: none;
    user-select: none;
  }
  .name,
  .figure {
    paint-order: stroke;
    stroke: var(--field);
    stroke-width: 3px;
  }
  .name {
    font-weight: 600;
  }
  .figure {
    text-anchor: middle;
    font-weight: 600;
  }
  .contact-name,
  .right {
    fill: var(--quiet);
  }
  .right,
  .end {
    text-anchor: end;
  }
  .tick {
    fill: var(--quiet);
    text-anchor: middle;
  }
  .tick.end {
    text-anchor: end;
  }
  .tick.start {
    text-anchor: start;
  }
  .waiting {
    padding: 30px;
  }
</style>
