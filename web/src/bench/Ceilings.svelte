<script lang="ts">
  /** All ceilings as bars of the share used, those that bind first; below them the findings. */
  import { number } from '../format';
  import type { Ceiling, Finding } from '../types';
  import type { BenchState } from './bench.svelte';
  import { BY_DEPTH, DRILL, WAY_BACK, gathered } from './findings';
  import { withCutsBack, withHole } from './rest';
  import TurnTrace from './TurnTrace.svelte';

  let { bench }: { bench: BenchState } = $props();
  const reserve = $derived(bench.current?.reserve ?? 0);
  /** What binds first; estimates last, they bind nothing. */
  const rows = $derived(
    [...(bench.bite?.ceilings ?? [])].sort(
      (a, b) => Number(a.estimate) - Number(b.estimate) || b.share - a.share,
    ),
  );
  const findings = $derived(gathered(bench.plan?.report?.warnings ?? []));
  /** Which place of each group is looked at next. */
  let turn = $state<Record<string, number>>({});

  function look(group: Finding[], key: string) {
    const at = (turn[key] ?? 0) % group.length;
    const { x, y } = group[at]!;
    turn[key] = at + 1;
    if (x !== null && y !== null) bench.looked = { x, y };
  }

  function digits(c: Ceiling): number {
    return c.ceiling >= 100 ? 0 : c.ceiling >= 1 ? 1 : 3;
  }
</script>

<section aria-label="Ceilings">
  <h2>Ceilings</h2>
  {#if reserve > 0}<p class="quiet">{number(100 * reserve)} % of the loads held in reserve</p>{/if}
  {#each rows as c (c.name)}
    <div class="row" class:binds={c.binds}>
      <span class="name">{c.name}</span>
      <span class="figure">{number(c.value, digits(c))} of {number(c.ceiling, digits(c))} {c.unit}</span>
      <span class="bar"
        ><span
          style:width="{Math.min(100, 100 * c.share)}%"
          class:full={c.binds}
          class:guess={c.estimate}
          class:over={c.share > 1.0001 && !c.estimate}
        ></span></span
      >
      {#if c.name === 'feed in curves'}
        <p class="quiet">
          What the machine holds in all but the tightest tenth of this path; it slows down by itself there.
        </p>
      {:else if c.estimate}
        <p class="quiet">
          An estimate from the cutter’s size, without helix; not kept. Enter the measured tool point to have
          it kept.
        </p>
      {:else if c.share > 1.0001}
        <p class="over">
          <strong>over by {number(100 * (c.share - 1))} %.</strong>
          {bench.reliefs[c.name] ?? ''}
        </p>
      {:else if c.binds}
        <p class="quiet"><strong>binds.</strong> {bench.reliefs[c.name] ?? ''}</p>
      {/if}
    </div>
  {/each}
  {#if bench.bite?.turn}
    <TurnTrace bite={bench.bite} />
  {/if}
  {#if findings.length}
    <h2 class="findings">Findings</h2>
    <ul>
      {#each findings as [key, group] (key)}
        {@const f = group[0]!}
        <li class:error={f.severity === 'error'}>
          <button class="plain" disabled={f.x === null} onclick={() => look(group, key)}>
            <strong>{f.severity}</strong>
            {f.sentence}
            {#if group.length > 1}
              The same at {group.length - 1}
              {group.length === 2 ? 'other place' : 'other places'}; press to go from one to the next.
            {/if}
            <span class="quiet">{f.hint}</span>
          </button>
          {#if f.code === BY_DEPTH && bench.plan?.fresh}
            <button class="own" onclick={() => void bench.shareOut(f.operation)}> Share out by depth </button>
          {:else if f.code === DRILL && bench.plan?.fresh}
            <button class="own" onclick={() => void bench.changeRegion(f.area, (r) => withHole(r, f))}>
              It will be drilled
            </button>
          {:else if f.code === WAY_BACK && bench.plan?.fresh}
            <button class="own" onclick={() => void bench.change((d) => d && withCutsBack(d, f))}>
              Cut on the way back too
            </button>
          {/if}
        </li>
      {/each}
    </ul>
  {:else if bench.plan?.report}
    <h2 class="findings">Findings</h2>
    <p class="quiet">None. The program was read back and run.</p>
  {/if}
</section>

<style>
  section {
    overflow: auto;
    padding: 14px;
  }
  .row {
    display: grid;
    grid-template-columns: 1fr auto;
    gap: 2px 8px;
    margin-top: 9px;
  }
  .name::first-letter {
    text-transform: uppercase;
  }
  .binds .name {
    font-weight: 600;
  }
  .figure {
    white-space: nowrap;
  }
  .bar {
    grid-column: 1 / -1;
    height: 7px;
    background: #e6dcc6;
  }
  .bar > span {
    display: block;
    height: 100%;
    background: #7fa79b;
  }
  .bar > .full {
    background: var(--load-3);
  }
  .bar > .over {
    background: var(--over);
  }
  .row p {
    grid-column: 1 / -1;
    font-size: 13px;
    line-height: 1.25;
  }
  .findings {
    margin-top: 16px;
    padding-top: 12px;
    border-top: 1px solid var(--ink);
  }
  ul {
    list-style: none;
    padding: 0;
    margin: 6px 0 0;
    display: grid;
    gap: 6px;
  }
  li {
    border-left: 3px solid var(--hatch);
  }
  li.error {
    border-left-color: var(--over);
  }
  li button {
    text-align: left;
    padding: 0 0 0 8px;
    color: var(--ink);
  }
  li .own {
    margin: 4px 0 2px 8px;
    padding: 1px 8px;
  }
  .bar .guess {
    background: repeating-linear-gradient(90deg, var(--hatch) 0 3px, transparent 3px 6px);
  }
</style>
