<script lang="ts">
  /** The stores: cutters, materials, machines; searched, filtered, copied, changed, taken in and given out. */
  import * as api from '../api/client';
  import { number } from '../format';
  import TopLine from '../parts/TopLine.svelte';
  import type { CutValues, StoreEntry, Stores } from '../types';
  import { COLUMNS, FIELDS, text, TITLES, typedEntry, type Kind } from './fields';
  import Nearest from './Nearest.svelte';
  import Recommended from './Recommended.svelte';

  let stores = $state.raw<Stores | null>(null);
  let kind = $state<Kind>('tools');
  let search = $state('');
  let filter = $state('');
  let chosen = $state<string | null>(null);
  let draft = $state<Record<string, string>>({});
  /** Recommendations of the chosen cutter, by material. */
  let values = $state.raw<CutValues[]>([]);
  let faults = $state.raw<string[]>([]);
  let said = $state('');

  async function load() {
    try {
      stores = await api.stores();
    } catch (error) {
      faults = (error as api.Faults).sentences;
    }
  }
  void load();

  const filterKey = $derived(kind === 'tools' ? 'kind' : kind === 'materials' ? 'group' : '');
  const all = $derived((stores?.[kind] ?? []) as StoreEntry[]);
  const choices = $derived(filterKey ? [...new Set(all.map((e) => String(e[filterKey])))] : []);
  const shown = $derived(
    all.filter(
      (e) =>
        (!filter || String(e[filterKey]) === filter) &&
        search
          .toLowerCase()
          .split(/\s+/)
          .every((w) => JSON.stringify([e.name, e.kind, e.diameter, e.group]).toLowerCase().includes(w)),
    ),
  );
  const entry = $derived(all.find((e) => e.id === chosen) ?? null);
  const label = (key: string) => FIELDS[kind].find((f) => f.key === key)!;

  function choose(e: StoreEntry) {
    chosen = e.id;
    [faults, said] = [[], ''];
    values = (e.values as CutValues[] | undefined) ?? [];
    draft = Object.fromEntries(
      FIELDS[kind].map((f) => [f.key, f.options && !f.yes ? String(e[f.key] ?? '') : text(e[f.key], f)]),
    );
  }

  async function keep(pk: number | null) {
    try {
      const kept = await api.keepEntry(
        kind,
        { ...typedEntry(kind, draft), ...(kind === 'tools' ? { values } : {}) },
        pk,
      );
      await load();
      chosen = `own-${kept.id}`;
      [faults, said] = [[], pk === null ? 'Kept as an entry of your own.' : 'Changed.'];
    } catch (error) {
      faults = (error as api.Faults).sentences;
    }
  }

  async function remove(pk: number) {
    await api.deleteEntry(kind, pk);
    chosen = null;
    await load();
  }

  async function take(event: Event) {
    const file = (event.target as HTMLInputElement).files?.[0];
    if (!file) return;
    try {
      const { count } = await api.importCutters(file);
      await load();
      [faults, said] = [[], `${count} cutters were taken in.`];
    } catch (error) {
      faults = (error as api.Faults).sentences;
    }
  }
</script>

<TopLine>
  <a href="#/" class="quiet">Shelf /</a>
  <h1>Stores</h1>
  <div class="kinds" role="radiogroup" aria-label="Store">
    {#each TITLES as [k, title] (k)}
      <button
        role="radio"
        aria-checked={kind === k}
        onclick={() => ([kind, chosen, filter, search] = [k, null, '', ''])}>{title}</button
      >
    {/each}
  </div>
</TopLine>
<main>
  <section class="list">
    <div class="find">
      <input type="search" placeholder="Search" aria-label="Search the stores" bind:value={search} />
      {#if choices.length}
        <select aria-label="Show only" bind:value={filter}>
          <option value="">all {kind === 'tools' ? 'kinds' : 'groups'}</option>
          {#each choices as c (c)}<option value={c}>{c.replaceAll('_', ' ')}</option>{/each}
        </select>
      {/if}
      <span class="quiet">{shown.length} of {all.length}</span>
      {#if kind === 'tools'}
        <span class="give">
          <a href="/api/cutters.csv" download>CSV</a>
          <a href="/api/cutters.json" download>JSON</a>
          <label class="take">
            Take in a list
            <input type="file" accept=".csv,.json" onchange={take} />
          </label>
        </span>
      {/if}
    </div>
    {#each faults as sentence (sentence)}<p class="over" role="alert">{sentence}</p>{/each}
    {#if said}<p role="status">{said}</p>{/if}
    <div class="scroll">
      <table>
        <thead>
          <tr>
            <th>Name</th>
            {#each COLUMNS[kind] as c (c)}
              <th class:figure={!label(c).options}
                >{label(c).label}{label(c).unit ? `, ${label(c).unit}` : ''}</th
              >
            {/each}
            <th></th>
          </tr>
        </thead>
        <tbody>
          {#each shown as e (e.id)}
            <tr class:chosen={e.id === chosen}>
              <td><button class="plain" onclick={() => choose(e)}>{e.name}</button></td>
              {#each COLUMNS[kind] as c (c)}
                <td class:figure={!label(c).options}>
                  {typeof e[c] === 'number' ? number(e[c] as number, 3) : text(e[c])}
                </td>
              {/each}
              <td class="quiet">{e.own === null ? '' : 'own'}</td>
            </tr>
          {/each}
        </tbody>
      </table>
      {#if stores && !shown.length}
        <p class="quiet none">Nothing here is called that. Clear the search.</p>
        {#if kind === 'materials'}
          <Nearest
            onfound={(id) => {
              [search, filter] = ['', ''];
              const found = all.find((e) => e.id === id);
              if (found) choose(found);
            }}
          />
        {/if}
      {/if}
    </div>
  </section>
  <section class="entry" aria-label="Entry">
    {#if entry}
      <h2>{entry.name}</h2>
      <p class="quiet">{entry.source}</p>
      {#each FIELDS[kind] as f (f.key)}
        <label>
          <span>{f.label}</span>
          {#if f.options}
            <select bind:value={draft[f.key]}>
              {#each f.options as o (o)}<option value={o}>{o.replaceAll('_', ' ')}</option>{/each}
            </select>
          {:else}
            <input type="text" placeholder={f.unless} bind:value={draft[f.key]} />
          {/if}
          <span class="quiet">{f.unit ?? ''}</span>
        </label>
      {/each}
      {#if kind === 'tools'}
        <Recommended {values} materials={stores?.materials ?? []} onchange={(v) => (values = v)} />
      {/if}
      <p class="buttons">
        {#if entry.own !== null}
          <button class="main" onclick={() => keep(entry.own)}>Keep the changes</button>
          <button onclick={() => keep(null)}>Keep as another</button>
          <button class="plain" onclick={() => remove(entry.own!)}>delete</button>
        {:else}
          <button class="main" onclick={() => keep(null)}>Keep as an entry of your own</button>
        {/if}
      </p>
    {:else}
      <p class="quiet">
        Choose an entry to see it. What ships stays as it is; change it and keep it as an entry of your own.
      </p>
    {/if}
  </section>
</main>

<style>
  h1 {
    font-size: 15px;
    font-weight: 600;
  }
  .kinds {
    display: flex;
    gap: 4px;
  }
  [role='radio'] {
    border-color: var(--rule);
    padding: 3px 12px;
    font-weight: 400;
  }
  [role='radio'][aria-checked='true'] {
    border-color: var(--ink);
    font-weight: 600;
  }
  main {
    display: grid;
    grid-template-columns: minmax(0, 1fr) 380px;
    height: calc(100% - 46px);
  }
  .list {
    display: flex;
    flex-direction: column;
    gap: 8px;
    min-height: 0;
    padding: 12px 16px;
  }
  .find {
    display: flex;
    gap: 10px;
    align-items: center;
  }
  .give {
    margin-left: auto;
    display: flex;
    gap: 12px;
    align-items: center;
  }
  .give a,
  .take {
    color: var(--pencil);
  }
  .take input {
    width: 84px;
    color: transparent;
    border: 0;
    padding: 0;
    background: none;
  }
  .scroll {
    overflow: auto;
    background: var(--sheet);
    border: 1px solid var(--rule);
  }
  table {
    width: 100%;
    border-collapse: collapse;
  }
  th {
    position: sticky;
    top: 0;
    background: var(--sheet);
    text-align: left;
    padding: 6px 8px;
    border-bottom: 1px solid var(--ink);
    white-space: nowrap;
  }
  td {
    padding: 2px 8px;
    border-bottom: 1px solid var(--rule);
  }
  .none {
    padding: 8px;
  }
  .figure {
    text-align: right;
  }
  tr.chosen {
    background: color-mix(in srgb, var(--pencil) 12%, transparent);
  }
  td button {
    text-align: left;
  }
  .entry {
    overflow: auto;
    padding: 14px 18px;
    border-left: 1px solid var(--rule);
    display: grid;
    gap: 5px;
    align-content: start;
  }
  .entry label {
    display: grid;
    grid-template-columns: 120px 1fr 76px;
    gap: 8px;
    align-items: center;
  }
  .entry input,
  .entry select {
    min-width: 0;
  }
  .buttons {
    display: flex;
    gap: 8px;
    margin-top: 8px;
  }
</style>
