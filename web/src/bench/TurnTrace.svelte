<script lang="ts">
  /** Torque and bending force over one turn of the cutter. */
  import { number } from '../format';
  import type { Bite } from '../types';

  let { bite }: { bite: Bite } = $props();
  const [W, H] = [236, 58];
  const most = $derived(Math.max(...bite.turn.torque, 1e-9));
  const mean = $derived(bite.turn.torque.reduce((a, b) => a + b, 0) / bite.turn.torque.length);
  const strongest = $derived(Math.max(...bite.turn.force, 1e-9));
  const line = (values: number[], top: number) =>
    'M' +
    [...values, values[0]!]
      .map((v, i) => `${((i / values.length) * W).toFixed(1)},${(H - 4 - (v / top) * (H - 10)).toFixed(1)}`)
      .join('L');
  const level = $derived(H - 4 - (mean / most) * (H - 10));
</script>

<h2 class="turn">One turn</h2>
<svg width={W} height={H} role="img" aria-label="Torque over one turn of the cutter">
  <path d="M0,{H - 4}H{W}" class="base" />
  <path d="M0,{level}H{W}" class="mean" />
  <path d={line(bite.turn.force, strongest)} class="force" />
  <path d={line(bite.turn.torque, most)} class="torque" />
</svg>
<p class="quiet">
  torque {number(mean, 2)} Nm on average, {number(most, 2)} at most, ripple {number(bite.ripple, 2)};
  <span class="dashed">bending force</span> up to {number(strongest)} N; axial contact {number(
    bite.axial_contact,
    2,
  )}
</p>

<style>
  .turn {
    margin-top: 18px;
  }
  path {
    fill: none;
  }
  .base {
    stroke: var(--rule);
  }
  .mean {
    stroke: var(--hatch);
    stroke-dasharray: 8 3 2 3;
  }
  .torque {
    stroke: var(--load-3);
    stroke-width: 1.8;
  }
  .force {
    stroke: var(--load-2);
    stroke-dasharray: 3 3;
  }
  .dashed {
    border-bottom: 1.5px dashed var(--load-2);
  }
  p {
    font-size: 13px;
  }
</style>
