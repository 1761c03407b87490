<script lang="ts">
  /** Typed sizes of a shape drawn by hand. */
  import QuantityField from '../parts/QuantityField.svelte';
  import type { Vertex } from '../types';
  import { circle, known, rectangle } from './shapes';

  let {
    outline,
    units,
    onchange,
  }: { outline: Vertex[]; units: 'mm' | 'in'; onchange: (outline: Vertex[]) => void } = $props();
  const shape = $derived(known(outline));
</script>

{#if shape.kind === 'rectangle'}
  {#each ['x', 'y', 'width', 'height'] as const as key (key)}
    <QuantityField
      label={{ x: 'X', y: 'Y', width: 'Width', height: 'Height' }[key]}
      value={shape[key]}
      {units}
      onchange={(v) => {
        const to = { ...shape, [key]: v };
        onchange(rectangle([to.x, to.y], [to.x + to.width, to.y + to.height]));
      }}
    />
  {/each}
{:else if shape.kind === 'circle'}
  {#each ['x', 'y', 'diameter'] as const as key (key)}
    <QuantityField
      label={{ x: 'X', y: 'Y', diameter: 'Diameter' }[key]}
      value={shape[key]}
      {units}
      onchange={(v) => {
        const to = { ...shape, [key]: v };
        onchange(circle([to.x, to.y], Math.abs(to.diameter) / 2));
      }}
    />
  {/each}
{:else}
  <p class="quiet">{outline.length} corners</p>
{/if}
