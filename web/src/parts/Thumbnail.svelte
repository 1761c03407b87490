<script lang="ts">
  /** A small drawing of a job: stock as a chain line, areas hatched, islands left plain. */
  import type { Picture } from '../types';

  let {
    picture,
    width = 190,
    height = 120,
  }: { picture: Picture; width?: number; height?: number } = $props();
  const id = $props.id();

  const view = $derived.by(() => {
    const { min, max } = picture.stock;
    const pad = 0.06 * Math.max(max[0] - min[0], max[1] - min[1]);
    return { x: min[0] - pad, y: -max[1] - pad, w: max[0] - min[0] + 2 * pad, h: max[1] - min[1] + 2 * pad };
  });
  const ring = (points: [number, number][]) => 'M' + points.map(([x, y]) => `${x},${-y}`).join('L') + 'Z';
</script>

<svg {width} {height} viewBox="{view.x} {view.y} {view.w} {view.h}" aria-hidden="true">
  <defs>
    <pattern
      {id}
      width={view.w / 45}
      height={view.w / 45}
      patternUnits="userSpaceOnUse"
      patternTransform="rotate(45)"
    >
      <line x1="0" y1="0" x2="0" y2={view.w / 45} stroke="var(--hatch)" stroke-width={view.w / 320} />
    </pattern>
  </defs>
  <path d={picture.stock.outlines.map(ring).join('')} fill-rule="evenodd" class="stock" />
  {#each picture.regions as region (region.name)}
    <path
      d={ring(region.edges.flatMap((e) => e.points.slice(0, -1))) + region.islands.map(ring).join('')}
      fill="url(#{id})"
      fill-rule="evenodd"
      class="edge"
    />
  {/each}
</svg>

<style>
  .stock {
    fill: var(--field);
    stroke: var(--ink);
    stroke-dasharray: 8 2 2 2;
    vector-effect: non-scaling-stroke;
  }
  .edge {
    stroke: var(--ink);
    stroke-width: 1.5;
    vector-effect: non-scaling-stroke;
  }
</style>
