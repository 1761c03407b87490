<script lang="ts">
  /** The part in space: turned by dragging, faces and edges picked by clicking. */
  import { onDestroy } from 'svelte';
  import type { Desk } from './desk.svelte';
  import { readMesh, SpaceLayer, type Hit } from './spacelayer';

  const MOST_HOVER = 150_000;
  let { desk }: { desk: Desk } = $props();
  let canvas = $state<HTMLCanvasElement | null>(null);
  let size = $state({ width: 800, height: 600 });
  let layer: SpaceLayer | null = null;
  let aim = $state({ turn: -0.6, tilt: 0.95, zoom: 1, shift: [0, 0] as [number, number] });
  let dragged = $state<{ x: number; y: number; aim: typeof aim; moved: boolean } | null>(null);
  let hit = $state.raw<Hit | null>(null);
  let axes = $state.raw<[number, number][]>([]);

  const solid = $derived(desk.mesh ? readMesh(desk.mesh) : null);
  const scene = $derived.by(() => {
    const layout = desk.layout;
    if (!layout) return null;
    return {
      mesh: solid,
      matrix: layout.matrix,
      stockLow: layout.stock_picture.min,
      stockHigh: layout.stock_picture.max,
      stockRings: layout.stock_picture.outlines,
      areas: desk.areas.map((a) => ({
        rings: [a.feature.drawn.flatMap((e) => e.slice(0, -1)), ...a.feature.drawn_islands] as [
          number,
          number,
        ][][],
        bottom: a.bottom ?? a.top,
        accepted: a.accepted,
        selected: desk.selected.includes(a.name) || desk.hovered === a.name,
      })),
      keepOuts: desk.keepOuts.map((k) => ({
        points: k.outline.map((p) => [p[0], p[1]] as [number, number]),
        bottom: k.bottom ?? layout.stock_picture.min[2],
        top: k.top,
      })),
    };
  });

  $effect(() => {
    if (canvas && !layer) layer = new SpaceLayer(canvas);
    if (scene) layer?.show(scene);
    draw();
  });
  $effect(() => {
    layer?.highlight(picking && hit && (desk.tool !== 'face' || hit.flat) ? hit.face : null);
    draw();
  });
  onDestroy(() => layer?.dispose());
  const picking = $derived(desk.tool === 'face' || desk.tool === 'edge' || desk.tool === 'datum');

  function draw() {
    if (!layer || !desk.layout) return;
    Object.assign(layer, aim);
    layer.draw(size.width, size.height);
    const { min, max } = desk.layout.stock_picture;
    const reach = 0.19 * Math.hypot(max[0] - min[0], max[1] - min[1], max[2] - min[2]);
    axes = [
      [reach, 0, 0],
      [0, reach, 0],
      [0, 0, reach],
      [0, 0, 0],
    ].map((p) => layer!.project(p as [number, number, number], size.width, size.height));
  }

  function place(event: PointerEvent | MouseEvent): [number, number] {
    const box = (event.currentTarget as HTMLElement).getBoundingClientRect();
    return [
      (2 * (event.clientX - box.left)) / box.width - 1,
      1 - (2 * (event.clientY - box.top)) / box.height,
    ];
  }

  function down(event: PointerEvent) {
    dragged = { x: event.clientX, y: event.clientY, aim: { ...aim }, moved: false };
  }

  function move(event: PointerEvent) {
    if (dragged && event.buttons) {
      const [dx, dy] = [event.clientX - dragged.x, event.clientY - dragged.y];
      if (Math.hypot(dx, dy) > 3) dragged.moved = true;
      if (!dragged.moved) return;
      const from = dragged.aim;
      if (event.buttons === 1 && !event.shiftKey) {
        const tilt = Math.min(Math.PI, Math.max(0, from.tilt - dy * 0.008));
        aim = { ...aim, turn: from.turn - dx * 0.008, tilt };
      } else {
        const half = Math.min(size.width, size.height) / 2;
        aim = { ...aim, shift: [from.shift[0] + dx / half, from.shift[1] - dy / half] };
      }
      draw();
      return;
    }
    if (picking) hit = layer?.hit(...place(event)) ?? null;
    else if (solid && solid.faces.length < MOST_HOVER) {
      // What a click would take is shown before it; a very large mesh would make the pointer slow.
      const found = layer?.hit(...place(event));
      desk.hovered = (found && floorAt(found)?.name) ?? null;
    }
  }

  function click(event: MouseEvent) {
    if (dragged?.moved || !layer) return;
    const found = layer.hit(...place(event));
    if (!found) return;
    if (desk.tool === 'face' && !found.flat) {
      desk.faults = ['A curved face cannot look up. Pick a flat one.'];
      return;
    }
    if (desk.tool === 'face') void desk.lookUp(found.normal);
    else if (desk.tool === 'edge' && found.edge) {
      const [a, b] = found.edge;
      void desk.alongX([b[0] - a[0], b[1] - a[1], b[2] - a[2]]);
    } else if (desk.tool === 'datum')
      void desk.datum({ ...desk.placing.datum, of: 'point', point: desk.toModel(found.point) });
    else pickFloor(found);
    if (picking) desk.tool = 'areas';
    hit = null;
  }

  /** A click on a floor accepts its area, or takes it back. */
  function pickFloor(found: Hit) {
    const area = floorAt(found);
    if (area) desk.toggle(area.name);
  }

  function floorAt(found: Hit) {
    const [x, y, z] = found.point;
    return desk.areas.find(
      (a) => Math.abs((a.bottom ?? a.top) - z) < 0.02 && inside(a.feature.drawn.flat(), x, y),
    );
  }

  function inside(ring: number[][], x: number, y: number): boolean {
    let odd = false;
    for (let i = 0, j = ring.length - 1; i < ring.length; j = i++) {
      const [a, b] = [ring[i]!, ring[j]!];
      if (a[1]! > y !== b[1]! > y && x < ((b[0]! - a[0]!) * (y - a[1]!)) / (b[1]! - a[1]!) + a[0]!)
        odd = !odd;
    }
    return odd;
  }

  function wheel(event: WheelEvent) {
    event.preventDefault();
    aim = { ...aim, zoom: Math.min(40, Math.max(0.3, aim.zoom * Math.exp(-event.deltaY * 0.0012))) };
    draw();
  }

  export function look(turn: number, tilt: number) {
    aim = { turn, tilt, zoom: 1, shift: [0, 0] };
    draw();
  }

  function key(event: KeyboardEvent) {
    const step = 0.15;
    const does: Record<string, () => void> = {
      ArrowLeft: () => (aim = { ...aim, turn: aim.turn + step }),
      ArrowRight: () => (aim = { ...aim, turn: aim.turn - step }),
      ArrowUp: () => (aim = { ...aim, tilt: Math.max(0, aim.tilt - step) }),
      ArrowDown: () => (aim = { ...aim, tilt: Math.min(Math.PI, aim.tilt + step) }),
      '+': () => (aim = { ...aim, zoom: aim.zoom * 1.25 }),
      '-': () => (aim = { ...aim, zoom: aim.zoom / 1.25 }),
      w: () => look(-0.6, 0.95),
    };
    if (!does[event.key]) return;
    event.preventDefault();
    does[event.key]!();
    draw();
  }
</script>

<!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions -->
<div
  class="space"
  class:picking
  bind:clientWidth={size.width}
  bind:clientHeight={size.height}
  role="group"
  tabindex="0"
  aria-label="Part in space"
  onpointerdown={down}
  onpointermove={move}
  onpointerup={() => setTimeout(() => (dragged = null))}
  onclick={click}
  onwheel={wheel}
  onkeydown={key}
>
  <canvas bind:this={canvas} style:width="{size.width}px" style:height="{size.height}px"></canvas>
  <svg width={size.width} height={size.height} aria-hidden="true">
    {#each ['X', 'Y', 'Z'] as name, k (name)}
      {#if axes[k]}<text x={axes[k][0]} y={axes[k][1]}>{name}</text>{/if}
    {/each}
    {#if axes[3]}<circle cx={axes[3][0]} cy={axes[3][1]} r="4" />{/if}
  </svg>
</div>

<style>
  .space {
    position: relative;
    width: 100%;
    height: 100%;
    overflow: hidden;
    cursor: grab;
    touch-action: none;
  }
  .space.picking {
    cursor: crosshair;
  }
  canvas,
  svg {
    position: absolute;
    inset: 0;
  }
  svg {
    pointer-events: none;
  }
  text {
    fill: var(--pencil);
    font-weight: 600;
    text-anchor: middle;
  }
  circle {
    fill: var(--field);
    stroke: var(--pencil);
    stroke-width: 1.5;
  }
</style>
