<script lang="ts">
  /** The part from above: areas to take or leave, edges to open, chains to pick, shapes to draw. */
  import { number } from '../format';
  import type { Area } from './areas';
  import type { Desk } from './desk.svelte';
  import { fitted, under, zoomed, type View } from '../bench/view';
  import { circle, polyline, rectangle, type Point } from './shapes';

  let { desk, limits = [] }: { desk: Desk; limits?: [number, number][][] } = $props();
  let size = $state({ width: 800, height: 600 });
  let view = $state<View | null>(null);
  let at = $state<Point | null>(null);
  let dragged = $state<{ px: number; py: number; view: View; moved: boolean; window: boolean } | null>(null);
  let points = $state.raw<Point[]>([]);

  const layout = $derived(desk.layout!);
  const stock = $derived(layout.stock_picture);
  const shown = $derived(view ?? fitted(stock.min, stock.max, size));
  const toX = (x: number) => size.width / 2 + (x - shown.x) * shown.scale;
  const toY = (y: number) => size.height / 2 - (y - shown.y) * shown.scale;
  const line = (ps: number[][]) =>
    ps.map((p) => `${toX(p[0]!).toFixed(2)},${toY(p[1]!).toFixed(2)}`).join('L');
  const ring = (ps: number[][]) => `M${line(ps)}Z`;
  const outer = (a: Area) => a.feature.drawn.flatMap((e) => e.slice(0, -1));
  const path = (a: Area) => ring(outer(a)) + a.feature.drawn_islands.map(ring).join('');
  const drawing = $derived(['rectangle', 'circle', 'polygon'].includes(desk.tool));
  /** Smaller areas lie on top, so that what is inside another can be clicked. */
  const stacked = $derived([...desk.areas].sort((a, b) => b.feature.area - a.feature.area));

  /** Ends of edges, centres of circles and corners of the stock: what a drawn point snaps to. */
  const snaps = $derived.by(() => {
    const found: Point[] = stock.outlines.flat() as Point[];
    for (const a of desk.areas) {
      found.push(...a.feature.outline.map((p) => [p[0], p[1]] as Point));
      if (a.feature.diameter) {
        const [p, q] = a.feature.outline;
        found.push([(p![0] + q![0]) / 2, (p![1] + q![1]) / 2]);
      }
    }
    for (const e of layout.edges) found.push([e[0]![0], e[0]![1]], [e.at(-1)![0], e.at(-1)![1]]);
    return found;
  });
  const snapped = $derived.by<{ point: Point; on: boolean } | null>(() => {
    if (!at) return null;
    const [x, y] = under(shown, at[0], at[1], size);
    let best = 9 / shown.scale;
    let point: Point | null = null;
    for (const s of snaps) {
      const d = Math.hypot(s[0] - x, s[1] - y);
      if (d < best) [best, point] = [d, s];
    }
    const grid = 10 ** Math.floor(Math.log10(20 / shown.scale));
    const round = (v: number) => Math.round(v / grid) * grid;
    return point ? { point, on: true } : { point: [round(x), round(y)], on: false };
  });
  const half = $derived.by<Point[]>(() => {
    if (!drawing || !snapped || points.length === 0) return [];
    const [first] = points as [Point];
    if (desk.tool === 'rectangle') return polyline(rectangle(first, snapped.point));
    if (desk.tool === 'circle')
      return polyline(circle(first, Math.hypot(snapped.point[0] - first[0], snapped.point[1] - first[1])));
    return [...points, snapped.point];
  });
  const windowBox = $derived.by(() => {
    if (!dragged?.window || !dragged.moved || !at) return null;
    const [x1, x2] = [Math.min(dragged.px, at[0]), Math.max(dragged.px, at[0])];
    const [y1, y2] = [Math.min(dragged.py, at[1]), Math.max(dragged.py, at[1])];
    return { x: x1, y: y1, w: x2 - x1, h: y2 - y1 };
  });

  function place(event: MouseEvent): Point {
    const box = (event.currentTarget as HTMLElement).getBoundingClientRect();
    return [event.clientX - box.left, event.clientY - box.top];
  }

  function down(event: PointerEvent) {
    if (event.button > 1) return;
    const [px, py] = place(event);
    dragged = { px, py, view: shown, moved: false, window: event.shiftKey && desk.tool === 'areas' };
  }

  function move(event: PointerEvent) {
    at = place(event);
    if (desk.tool === 'chain' && !event.buttons) {
      const [x, y] = under(shown, at[0], at[1], size);
      desk.hoverChain({ x, y, follow: desk.follow, within: 12 / shown.scale });
    }
    if (!dragged || !event.buttons) return;
    const [dx, dy] = [at[0] - dragged.px, at[1] - dragged.py];
    if (Math.hypot(dx, dy) > 4) dragged.moved = true;
    if (dragged.moved && !dragged.window)
      view = { ...dragged.view, x: dragged.view.x - dx / shown.scale, y: dragged.view.y + dy / shown.scale };
  }

  function up() {
    if (windowBox) {
      const [x1, y1] = under(shown, windowBox.x, windowBox.y + windowBox.h, size);
      const [x2, y2] = under(shown, windowBox.x + windowBox.w, windowBox.y, size);
      const within = desk.areas.filter((a) =>
        outer(a).every((p) => p[0]! >= x1 && p[0]! <= x2 && p[1]! >= y1 && p[1]! <= y2),
      );
      desk.accept(
        within.map((a) => a.name),
        true,
      );
    }
    setTimeout(() => (dragged = null));
  }

  function click(event: MouseEvent) {
    if (dragged?.moved || !snapped) return;
    at = place(event);
    const [x, y] = under(shown, at[0], at[1], size);
    const { point } = snapped;
    if (desk.tool === 'chain') {
      void desk.pickChain({ x, y, follow: desk.follow, within: 12 / shown.scale });
    } else if (desk.tool === 'datum') {
      void desk.datum({ ...desk.placing.datum, of: 'point', point: desk.toModel([...point, stock.max[2]]) });
      desk.tool = 'areas';
    } else if (desk.tool === 'split') {
      points = [...points, point];
      if (points.length === 2) finish(() => desk.split(points[0]!, points[1]!));
    } else if (desk.tool === 'polygon') {
      const first = points[0];
      if (
        first &&
        points.length > 2 &&
        Math.hypot(first[0] - point[0], first[1] - point[1]) < 9 / shown.scale
      )
        finish(() => desk.drawn(points));
      else points = [...points, point];
    } else if (drawing) {
      points = [...points, point];
      if (points.length < 2) return;
      const [a, b] = points as [Point, Point];
      if (a[0] === b[0] || (desk.tool === 'rectangle' && a[1] === b[1])) points = [a];
      else if (desk.tool === 'rectangle') finish(() => desk.drawn(rectangle(a, b)));
      else finish(() => desk.drawn(circle(a, Math.hypot(b[0] - a[0], b[1] - a[1]))));
    }
  }

  function finish(what: () => Promise<void>) {
    void what();
    points = [];
  }

  function take(event: Event, area: Area) {
    if (desk.tool !== 'areas') return;
    event.stopPropagation();
    if (dragged?.moved) return;
    desk.toggle(area.name);
    desk.selected = [area.name];
  }

  function edge(event: Event, area: Area, index: number) {
    if (desk.tool !== 'areas') return;
    event.stopPropagation();
    if (!dragged?.moved) desk.toggleEdge(area.name, index);
  }

  function wheel(event: WheelEvent) {
    event.preventDefault();
    view = zoomed(shown, Math.exp(-event.deltaY * 0.0015), ...place(event), size);
  }

  function key(event: KeyboardEvent) {
    const step = 60 / shown.scale;
    const by: Record<string, Point> = {
      ArrowLeft: [-step, 0],
      ArrowRight: [step, 0],
      ArrowUp: [0, step],
      ArrowDown: [0, -step],
    };
    const move = by[event.key];
    if (move) view = { ...shown, x: shown.x + move[0], y: shown.y + move[1] };
    else if (event.key === '+' || event.key === '-')
      view = zoomed(shown, event.key === '+' ? 1.3 : 1 / 1.3, size.width / 2, size.height / 2, size);
    else if (event.key === 'w') view = null;
    else if (event.key === 'Escape') [points, desk.tool] = [[], 'areas'];
    else if (event.key === 'Enter' && desk.tool === 'polygon' && points.length > 2)
      finish(() => desk.drawn(points));
    else return;
    event.preventDefault();
  }
</script>

<!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions -->
<div
  class="above"
  class:drawing={desk.tool !== 'areas'}
  bind:clientWidth={size.width}
  bind:clientHeight={size.height}
  role="group"
  tabindex="0"
  aria-label="Part from above"
  onwheel={wheel}
  onpointerdown={down}
  onpointermove={move}
  onpointerup={up}
  onpointerleave={() => (at = null)}
  onclick={click}
  onkeydown={key}
>
  <svg width={size.width} height={size.height}>
    <defs>
      <pattern id="take" width="7" height="7" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
        <line x1="0" y1="0" x2="0" y2="7" class="hatch" />
      </pattern>
      <pattern id="keep" width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(-45)">
        <line x1="0" y1="0" x2="0" y2="6" class="kept" />
      </pattern>
    </defs>
    <path d={stock.outlines.map(ring).join('')} class="stock" fill-rule="evenodd" />
    {#each stacked as area (area.name)}
      <path
        d={path(area)}
        class="area"
        class:accepted={area.accepted}
        class:lit={desk.hovered === area.name || desk.selected.includes(area.name)}
        fill-rule="evenodd"
        role="presentation"
        onpointerenter={() => desk.tool === 'areas' && (desk.hovered = area.name)}
        onpointerleave={() => (desk.hovered = null)}
        onclick={(e) => take(e, area)}
      />
    {/each}
    <g class="part">
      {#each layout.edges as e, i (i)}<path d="M{line(e)}" />{/each}
    </g>
    {#each limits as l, i (i)}<path d={ring(l)} class="limit" />{/each}
    {#each stacked.filter((a) => a.accepted) as area (area.name)}
      {#each area.feature.drawn as e, i (i)}
        {@const open = area.open.includes(i)}
        <path d="M{line(e)}" class="edge" class:open />
        <path
          d="M{line(e)}"
          class="grip"
          role="switch"
          aria-checked={open}
          aria-label="{area.name}, edge {i + 1}: open"
          tabindex="0"
          onclick={(ev) => edge(ev, area, i)}
          onkeydown={(ev) => (ev.key === 'Enter' || ev.key === ' ') && edge(ev, area, i)}
        >
          <title>{open ? 'Open edge: click to close it' : 'Closed edge: click to open it'}</title>
        </path>
      {/each}
    {/each}
    {#each desk.keepOuts as k (k.name)}
      <path d={ring(polyline(k.outline))} class="keep" />
      <text x={toX(k.outline[0]![0]) + 4} y={toY(k.outline[0]![1]) - 4}>{k.name}</text>
    {/each}
    {#if desk.chain}
      <path d="M{line(desk.chain.points)}" class="chain" />
      {#if !desk.chain.closed}
        {@const a = desk.chain.points[0]!}
        {@const b = desk.chain.points.at(-1)!}
        <path d="M{line([a, b])}" class="gap" />
        <text x={toX((a[0] + b[0]) / 2) + 6} y={toY((a[1] + b[1]) / 2)}
          >gap {number(desk.chain.gap, 2)} mm</text
        >
      {/if}
    {/if}
    {#each desk.part?.findings ?? [] as f, i (i)}
      {#if f.x != null && f.y != null && desk.isDrawing}
        <circle
          class="gap"
          cx={toX((f.x as number) + layout.matrix[0]![3]!)}
          cy={toY((f.y as number) + layout.matrix[1]![3]!)}
          r="9"
        />
      {/if}
    {/each}
    {#if half.length > 1}<path
        d={desk.tool === 'polygon' ? `M${line(half)}` : ring(half)}
        class="half"
      />{/if}
    {#if desk.tool === 'split' && points[0] && snapped}<path
        d="M{line([points[0], snapped.point])}"
        class="half"
      />{/if}
    {#if desk.tool !== 'areas' && snapped}
      <circle
        class="snap"
        class:on={snapped.on}
        cx={toX(snapped.point[0])}
        cy={toY(snapped.point[1])}
        r="4"
      />
      <text x={toX(snapped.point[0]) + 8} y={toY(snapped.point[1]) - 8}>
        {number(snapped.point[0], 2)}, {number(snapped.point[1], 2)}
      </text>
    {/if}
    {#if windowBox}<rect
        class="window"
        x={windowBox.x}
        y={windowBox.y}
        width={windowBox.w}
        height={windowBox.h}
      />{/if}
    <g class="datum" transform="translate({toX(0)} {toY(0)})">
      <circle r="6" />
      <path d="M0,0H46M41,-3L46,0L41,3M0,0V-46M-3,-41L0,-46L3,-41" />
      <text x="50" y="4">X</text><text x="-4" y="-51">Y</text>
    </g>
  </svg>
</div>

<style>
  .above {
    width: 100%;
    height: 100%;
    overflow: hidden;
    touch-action: none;
  }
  .above.drawing {
    cursor: crosshair;
  }
  .stock {
    fill: var(--paper);
    stroke: var(--ink);
    stroke-dasharray: 12 3 3 3;
  }
  .part path {
    fill: none;
    stroke: var(--ink);
    stroke-width: 0.8;
    pointer-events: none;
  }
  .area {
    fill: transparent;
    stroke: none;
    cursor: pointer;
  }
  .drawing .area,
  .drawing .grip {
    pointer-events: none;
  }
  .area.accepted {
    fill: url(#take);
  }
  .area.lit {
    fill: color-mix(in srgb, var(--pencil) 16%, transparent);
    stroke: var(--pencil);
    stroke-width: 1.5;
  }
  .hatch {
    stroke: var(--hatch);
    stroke-width: 1.6;
  }
  .kept {
    stroke: var(--over);
    stroke-width: 1;
  }
  .edge {
    fill: none;
    stroke: var(--ink);
    stroke-width: 2.4;
    pointer-events: none;
  }
  .edge.open {
    stroke: var(--pencil);
    stroke-dasharray: 7 5;
  }
  .grip {
    fill: none;
    stroke: transparent;
    stroke-width: 11;
    cursor: pointer;
    outline: none;
  }
  .grip:hover,
  .grip:focus-visible {
    stroke: color-mix(in srgb, var(--pencil) 35%, transparent);
  }
  .keep {
    fill: url(#keep);
    stroke: var(--over);
    stroke-width: 1.5;
    pointer-events: none;
  }
  .limit {
    fill: none;
    stroke: var(--load-2);
    stroke-dasharray: 10 3 2 3;
    pointer-events: none;
  }
  .chain,
  .half {
    fill: none;
    stroke: var(--pencil);
    stroke-width: 3;
    pointer-events: none;
  }
  .half {
    stroke-width: 1.5;
  }
  .gap {
    fill: none;
    stroke: var(--over);
    stroke-width: 2;
    stroke-dasharray: 3 3;
    pointer-events: none;
  }
  .snap {
    fill: none;
    stroke: var(--hatch);
  }
  .snap.on {
    stroke: var(--pencil);
    stroke-width: 2;
  }
  .window {
    fill: color-mix(in srgb, var(--pencil) 10%, transparent);
    stroke: var(--pencil);
    stroke-dasharray: 5 3;
  }
  .datum {
    pointer-events: none;
  }
  .datum circle {
    fill: var(--field);
    stroke: var(--pencil);
    stroke-width: 1.5;
  }
  .datum path {
    fill: none;
    stroke: var(--pencil);
    stroke-width: 1.5;
  }
  text {
    font-size: 13px;
    fill: var(--pencil);
    pointer-events: none;
  }
</style>
