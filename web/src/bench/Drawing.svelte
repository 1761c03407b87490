<script lang="ts">
  /** The drawing from above: stock, areas, edges to click, the path, the cutter, the section ruler. */
  import { onDestroy, untrack } from 'svelte';
  import { number } from '../format';
  import type { BenchState } from './bench.svelte';
  import Flags from './Flags.svelte';
  import LensBar from './LensBar.svelte';
  import { PathLayer } from './pathlayer';
  import SectionRuler from './SectionRuler.svelte';
  import { indexAt, nearestTo, PARTS, rangeOf } from './trace';
  import { fitted, under, zoomed, type View } from './view';

  let { bench }: { bench: BenchState } = $props();
  let size = $state({ width: 700, height: 450 });
  let view = $state<View | null>(null);
  let canvas = $state<HTMLCanvasElement | null>(null);
  let layer: PathLayer | null = null;
  let pointed = $state<number | null>(null);
  let at = $state({ x: 0, y: 0 });
  let dragged = $state<{ x: number; y: number; view: View; moved: boolean } | null>(null);

  const picture = $derived(bench.picture!);
  const shown = $derived(view ?? fitted(picture.stock.min, picture.stock.max, size));
  const range = $derived<[number, number]>(bench.trace ? rangeOf(bench.trace, bench.operation) : [0, 0]);
  const topFeed = $derived.by(() => {
    let most = 1;
    if (bench.trace) for (let k = range[0]; k < range[1]; k++) most = Math.max(most, bench.trace.feed[k]!);
    return most;
  });
  const radius = $derived((bench.tool?.diameter ?? 0) / 2);
  const upTo = $derived(bench.trace ? indexAt(bench.trace, bench.seconds) : 0);
  const cutter = $derived(range[1] > 0 ? bench.cutter : null);

  $effect(() => {
    if (canvas && !layer) layer = new PathLayer(canvas);
    layer?.show(bench.trace, range, bench.level, bench.lens, topFeed);
    // Where the cutter is and what is in view are no reasons to build it anew: a long path takes a while.
    untrack(() => layer?.draw(shown, size, upTo));
  });
  $effect(() => layer?.draw(shown, size, upTo));
  onDestroy(() => layer?.dispose());

  $effect(() => {
    if (bench.looked) {
      view = { x: bench.looked.x, y: bench.looked.y, scale: Math.max(shown.scale, 12) };
      bench.looked = null;
    }
  });

  const toX = (x: number) => size.width / 2 + (x - shown.x) * shown.scale;
  const toY = (y: number) => size.height / 2 - (y - shown.y) * shown.scale;
  const line = (points: [number, number][]) =>
    points.map(([x, y]) => `${toX(x).toFixed(2)},${toY(y).toFixed(2)}`).join('L');
  const ring = (points: [number, number][]) => `M${line(points)}Z`;
  const outline = (r: (typeof picture.regions)[number]) => r.edges.flatMap((e) => e.points.slice(0, -1));
  const middle = (points: [number, number][]) => {
    const xs = points.map((p) => p[0]);
    const ys = points.map((p) => p[1]);
    return {
      x: (Math.min(...xs) + Math.max(...xs)) / 2,
      y: (Math.min(...ys) + Math.max(...ys)) / 2,
      w: Math.max(...xs) - Math.min(...xs),
      h: Math.max(...ys) - Math.min(...ys),
    };
  };

  function place(event: MouseEvent): [number, number] {
    const box = (event.currentTarget as HTMLElement).getBoundingClientRect();
    return [event.clientX - box.left, event.clientY - box.top];
  }

  function wheel(event: WheelEvent) {
    event.preventDefault();
    view = zoomed(shown, Math.exp(-event.deltaY * 0.0015), ...place(event), size);
  }

  function down(event: PointerEvent) {
    if (event.button > 1) return;
    dragged = { x: event.clientX, y: event.clientY, view: shown, moved: false };
  }

  function move(event: PointerEvent) {
    const [px, py] = place(event);
    at = { x: px, y: py };
    if (dragged && event.buttons) {
      const [dx, dy] = [event.clientX - dragged.x, event.clientY - dragged.y];
      if (Math.hypot(dx, dy) > 4 && !dragged.moved) {
        dragged.moved = true;
        (event.currentTarget as HTMLElement).setPointerCapture(event.pointerId);
      }
      if (dragged.moved) {
        const { view: v } = dragged;
        view = { ...v, x: v.x - dx / v.scale, y: v.y + dy / v.scale };
      }
      return;
    }
    pointed = nearest(px, py);
  }

  /** The path point within 6 pixels of the pointer, or null. */
  function nearest(px: number, py: number): number | null {
    const [x, y] = under(shown, px, py, size);
    return bench.trace && nearestTo(bench.trace, range, bench.level, x, y, 6 / shown.scale);
  }

  function click() {
    if (dragged?.moved) return;
    if (pointed !== null && bench.trace) {
      bench.playing = false;
      bench.seconds = bench.trace.seconds[pointed]!;
    }
  }

  function edge(event: Event, region: string, index: number) {
    event.stopPropagation();
    if (!dragged?.moved) void bench.toggleEdge(region, index);
  }

  function key(event: KeyboardEvent) {
    const step = 60 / shown.scale;
    const shift: Record<string, [number, number]> = {
      ArrowLeft: [-step, 0],
      ArrowRight: [step, 0],
      ArrowUp: [0, step],
      ArrowDown: [0, -step],
    };
    const by = shift[event.key];
    if (!by) return;
    event.preventDefault();
    view = { ...shown, x: shown.x + by[0], y: shown.y + by[1] };
  }

  function windowKey(event: KeyboardEvent) {
    if (/^(INPUT|SELECT|TEXTAREA)$/.test((event.target as HTMLElement).tagName)) return;
    if (event.key === 'w') view = null;
    if (event.key === '+' || event.key === '-')
      view = zoomed(shown, event.key === '+' ? 1.3 : 1 / 1.3, size.width / 2, size.height / 2, size);
  }
</script>

<svelte:window onkeydown={windowKey} />

<div class="drawing">
  <LensBar {bench} {topFeed} onwhole={() => (view = null)} />
  <div class="paper">
    <!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions -->
    <div
      class="sheet"
      bind:clientWidth={size.width}
      bind:clientHeight={size.height}
      role="group"
      tabindex="0"
      aria-label="Drawing from above"
      onwheel={wheel}
      onpointerdown={down}
      onpointermove={move}
      onpointerup={() => setTimeout(() => (dragged = null))}
      onpointerleave={() => (pointed = null)}
      onclick={click}
      onkeydown={key}
    >
      <svg class="below" width={size.width} height={size.height} aria-hidden="true">
        <defs>
          <pattern
            id="hatch"
            width="7"
            height="7"
            patternUnits="userSpaceOnUse"
            patternTransform="rotate(45)"
          >
            <line x1="0" y1="0" x2="0" y2="7" class="hatch" />
          </pattern>
          <pattern
            id="kept-out"
            width="6"
            height="6"
            patternUnits="userSpaceOnUse"
            patternTransform="rotate(-45)"
          >
            <line x1="0" y1="0" x2="0" y2="6" class="kept" />
          </pattern>
        </defs>
        <path class="stock" d={picture.stock.outlines.map(ring).join('')} fill-rule="evenodd" />
        {#each picture.regions as region (region.name)}
          {@const mine = bench.current?.regions.includes(region.name)}
          <path
            d={ring(outline(region)) + region.islands.map(ring).join('')}
            fill={mine && !bench.trace ? 'url(#hatch)' : 'var(--sheet)'}
            fill-rule="evenodd"
          />
          {#if !mine}
            <path
              d={ring(outline(region)) + region.islands.map(ring).join('')}
              fill="var(--paper)"
              fill-rule="evenodd"
            />
          {/if}
        {/each}
      </svg>
      <canvas bind:this={canvas} style:width="{size.width}px" style:height="{size.height}px"></canvas>
      <svg class="above" width={size.width} height={size.height}>
        {#each picture.keep_outs as k (k.name)}
          <path d={ring(k.points)} class="keep"
            ><title>{k.name}: keep-out up to Z {number(k.top, 2)}</title></path
          >
        {/each}
        {#each picture.regions as region (region.name)}
          {#each region.islands as island, i (i)}
            {@const m = middle(island)}
            <path d={ring(island)} class="island" />
            <path
              class="centre"
              d="M{toX(m.x - m.w * 0.62)},{toY(m.y)}H{toX(m.x + m.w * 0.62)}M{toX(m.x)},{toY(
                m.y - m.h * 0.62,
              )}V{toY(m.y + m.h * 0.62)}"
            />
          {/each}
          {#each region.drilled as hole, i (i)}
            {@const over = 1.3 * hole.radius * shown.scale}
            <g class="drilled" transform="translate({toX(hole.x)},{toY(hole.y)})">
              <circle r={hole.radius * shown.scale} />
              <path class="centre" d="M{-over},0H{over}M0,{-over}V{over}" />
              <title>Drilled before, {number(2 * hole.radius, 2)} mm</title>
            </g>
          {/each}
          {#each region.edges as e, i (i)}
            <path d="M{line(e.points)}" class="edge" class:open={e.open} />
            <path
              d="M{line(e.points)}"
              class="grip"
              role="switch"
              aria-checked={e.open}
              aria-label="{region.name}, edge {i + 1}: open"
              tabindex="0"
              onclick={(ev) => edge(ev, region.name, i)}
              onkeydown={(ev) => (ev.key === 'Enter' || ev.key === ' ') && edge(ev, region.name, i)}
            >
              <title>{e.open ? 'Open edge: click to close it' : 'Closed edge: click to open it'}</title>
            </path>
          {/each}
        {/each}
        <Flags findings={bench.plan?.report?.warnings ?? []} {toX} {toY} />
        <g class="datum" transform="translate({toX(0)},{toY(0)})">
          <path d="M0,0H44M0,0V-44" />
          <circle r="7" />
          <path d="M0,0V-7A7,7 0 0 1 7,0ZM0,0V7A7,7 0 0 1 -7,0Z" class="quarter" />
          <text x="48" y="4">X</text>
          <text x="-4" y="-48">Y</text>
        </g>
        {#if cutter}
          <g class="cutter" transform="translate({toX(cutter[0])},{toY(cutter[1])})">
            <circle r={radius * shown.scale} />
            <path d="M-4,0H4M0,-4V4" />
          </g>
        {/if}
      </svg>
      {#if pointed !== null && bench.trace && !dragged?.moved}
        {@const k = pointed}
        <div class="tip" style:left="{Math.min(at.x + 14, size.width - 200)}px" style:top="{at.y + 14}px">
          <strong>
            {PARTS[bench.trace.part[k]!]}, {number(100 * bench.trace.share[k]!)} % of the bite
          </strong>
          <span>{number(bench.trace.feed[k]!)} mm/min held, NC line {bench.trace.line[k]}</span>
          <span class="quiet">
            X {number(bench.trace.position[3 * k]!, 2)} Y {number(bench.trace.position[3 * k + 1]!, 2)} Z {number(
              bench.trace.position[3 * k + 2]!,
              2,
            )}
          </span>
        </div>
      {/if}
    </div>
    <SectionRuler {bench} />
  </div>
</div>

<style>
  .drawing {
    display: grid;
    grid-template-rows: 36px minmax(0, 1fr);
    min-height: 0;
  }
  .paper {
    min-height: 0;
    display: grid;
    grid-template-columns: minmax(0, 1fr) 64px;
  }
  .sheet {
    position: relative;
    overflow: hidden;
    touch-action: none;
    cursor: crosshair;
  }
  canvas,
  svg {
    position: absolute;
    left: 0;
    top: 0;
  }
  canvas {
    pointer-events: none;
  }
  .stock {
    fill: var(--paper);
    stroke: var(--ink);
    stroke-dasharray: 14 3 3 3;
  }
  .hatch {
    stroke: var(--hatch);
    stroke-width: 0.8;
  }
  .edge {
    fill: none;
    stroke: var(--ink);
    stroke-width: 2.2;
    stroke-linecap: round;
  }
  .edge.open {
    stroke-width: 1.2;
    stroke-dasharray: 7 4;
  }
  .island {
    fill: var(--paper);
    stroke: var(--ink);
    stroke-width: 2.2;
  }
  .drilled circle {
    fill: none;
    stroke: var(--ink);
    stroke-width: 1.4;
  }
  .centre {
    fill: none;
    stroke: var(--ink);
    stroke-width: 0.8;
    stroke-dasharray: 12 3 2 3;
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
    stroke: rgb(43 86 163 / 35%);
  }
  .datum {
    pointer-events: none;
  }
  .datum path,
  .datum circle {
    fill: none;
    stroke: var(--pencil);
    stroke-width: 1.4;
  }
  .datum .quarter {
    fill: var(--pencil);
    stroke: none;
  }
  .datum text {
    fill: var(--pencil);
    font-weight: 600;
    font-size: 13px;
  }
  .cutter {
    pointer-events: none;
  }
  .cutter circle {
    fill: rgb(43 86 163 / 14%);
    stroke: var(--pencil);
    stroke-width: 1.4;
  }
  .cutter path {
    stroke: var(--pencil);
  }
  .tip {
    position: absolute;
    display: grid;
    padding: 4px 9px;
    background: var(--field);
    border: 1px solid var(--ink);
    pointer-events: none;
    white-space: nowrap;
  }
  .keep {
    fill: url(#kept-out);
    stroke: var(--over);
    stroke-width: 1.5;
  }
  .kept {
    stroke: var(--over);
  }
</style>
