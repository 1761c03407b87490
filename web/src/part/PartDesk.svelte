<script lang="ts">
  /** The part's screen: file, orientation and datum, stock, areas, cutter; then onto the bench. */
  import { onMount } from 'svelte';
  import * as api from '../api/client';
  import { length } from '../format';
  import KeyList from '../parts/KeyList.svelte';
  import { settled } from '../parts/pending';
  import TopLine from '../parts/TopLine.svelte';
  import { named, ROUGHERS, toolFrom } from '../stores';
  import type { JobDocument, Stores } from '../types';
  import AboveView from './AboveView.svelte';
  import { Desk, type Step } from './desk.svelte';
  import { firstOperations, sharedOut, takesMore } from './operations';
  import SpaceView from './SpaceView.svelte';
  import StepAreas from './StepAreas.svelte';
  import StepLies from './StepLies.svelte';
  import StepPart from './StepPart.svelte';
  import StepStock from './StepStock.svelte';

  interface Props {
    /** The job whose part is changed. */
    job?: number | null;
    /** The job that this is the next setup of. */
    after?: number | null;
  }
  let { job = null, after = null }: Props = $props();
  const desk = new Desk();
  let stores = $state.raw<Stores | null>(null);
  let document = $state.raw<JobDocument | null>(null);
  let name = $state('');
  let material = $state('aluminium-wrought');
  let machine = $state('harbour-mill');
  let cutter = $state('flat-10');
  let space = $state<SpaceView | null>(null);
  let keys = $state(false);
  let limits = $state.raw<[number, number][][]>([]);

  onMount(async () => {
    stores = await api.stores();
    if (after !== null) return void desk.nextSetup(after, (await api.job(after)).document);
    if (job === null) return;
    try {
      document = (await api.job(job)).document;
      await desk.resume(document);
    } catch (error) {
      desk.faults = (error as api.Faults).sentences;
    }
  });
  $effect(() => {
    const part = desk.part;
    if (part && job === null && !name) name = part.name.replace(/\.[^.]*$/, '').replace(/[-_]/g, ' ');
  });

  const STEPS: [Step, string][] = [
    ['part', 'Part'],
    ['lies', 'How it lies'],
    ['stock', 'Stock'],
    ['areas', 'What is cut'],
    ['cut', 'Cut with'],
  ];
  const essence = $derived.by<Record<Step, string>>(() => {
    const s = desk.layout?.stock_picture;
    const tool = stores?.tools.find((t) => t.id === cutter);
    return {
      part: desk.part?.name ?? '',
      lies: desk.layout ? `${desk.workOffset}, ${desk.datumWords}` : '',
      stock: s ? [0, 1, 2].map((k) => length(s.max[k]! - s.min[k]!, desk.units)).join(' × ') : '',
      areas: desk.layout ? `${desk.accepted.length} of ${desk.areas.length} areas` : '',
      cut: document ? '' : `${tool?.name ?? ''}`,
    };
  });

  function draft(): JobDocument {
    const pieces = desk.pieces();
    const names = desk.cutNames;
    if (document) {
      const known = new Set(document.operations.flatMap((o) => o.regions));
      const more = takesMore(document);
      const operations = document.operations
        .map((o, k) => ({
          ...o,
          regions: [
            ...o.regions.filter((r) => names.includes(r)),
            ...(k === more ? names.filter((n) => !known.has(n)) : []),
          ],
        }))
        .filter((o) => o.regions.length > 0);
      return { ...document, ...pieces, operations };
    }
    const tool = stores!.tools.find((t) => t.id === cutter)!;
    return {
      format: 'justbite-job',
      version: 1,
      name: name.trim() || 'New job',
      units: 'mm',
      machine: named(stores!.machines, machine),
      material: named(stores!.materials, material),
      tools: [toolFrom(tool, 1)],
      ...pieces,
      operations: firstOperations(pieces.regions),
    };
  }

  /** Where the centre of the cutter may go, shown while areas are chosen. */
  let asked = 0;
  $effect(() => {
    const ready = stores && desk.layout && desk.missing === '' && desk.step !== 'lies';
    const wish = ready ? draft() : null;
    const mine = ++asked;
    if (!wish) limits = [];
    else
      setTimeout(async () => {
        if (mine !== asked) return;
        try {
          const found = await Promise.all(wish.operations.map((_, k) => api.limits(wish, k)));
          if (mine === asked)
            limits = found.flatMap((own) => Object.values(own).flat()) as [number, number][][];
        } catch {
          limits = [];
        }
      }, 250);
  });

  async function finish() {
    // What was typed last is in the job too.
    await settled();
    if (desk.missing) return;
    try {
      const wish = draft();
      if (document && job !== null) {
        await api.changeJob(job, wish);
        location.hash = `/job/${job}`;
      } else location.hash = `/job/${(await api.makeJob(await sharedOut(wish))).id}`;
    } catch (error) {
      desk.faults = (error as api.Faults).sentences;
    }
  }

  async function newVersion(file: File) {
    desk.reading = true;
    desk.faults = [];
    try {
      const part = await api.readPart(file);
      const answer = await api.changePart(job!, part.id);
      document = answer.job.document;
      await desk.resume(document);
      desk.changed = answer.findings;
      desk.step = 'part';
    } catch (error) {
      desk.faults = (error as api.Faults).sentences;
    }
    desk.reading = false;
  }

  const KEYS: [string, string][] = [
    ['a', 'from above'],
    ['s', 'in space'],
    ['m', 'as the machine sees it'],
    ['w', 'whole part into view'],
    ['arrows', 'move or turn the picture, when it has the focus'],
    ['tab, enter', 'from edge to edge; open or close it'],
    ['Escape', 'stop picking or drawing'],
    ['u and r', 'undo, redo'],
    ['?', 'this list'],
  ];

  function key(event: KeyboardEvent) {
    const at = event.target as HTMLElement;
    if (/^(INPUT|SELECT|TEXTAREA)$/.test(at.tagName) || event.ctrlKey || event.metaKey || event.altKey)
      return;
    const does: Record<string, () => void> = {
      a: () => (desk.view = 'above'),
      s: () => (desk.view = 'space'),
      m: () => {
        desk.view = 'space';
        setTimeout(() => space?.look(0, 0));
      },
      u: () => void desk.undo(),
      r: () => void desk.redo(),
      '?': () => (keys = !keys),
    };
    if (event.key === 'Escape') [desk.tool, keys] = ['areas', false];
    const action = does[event.key];
    if (!action || !desk.layout) return;
    event.preventDefault();
    action();
  }

  const IN_SPACE = 'Drag to turn, Shift and drag to move. Click a floor to take its area or leave it.';
  const HINTS: Record<Desk['tool'], string> = {
    areas:
      'Click an area to take it or leave it. Shift and drag: all in the window. Click an edge to open or close it.',
    chain: 'Click near an edge: the chain follows it.',
    split: 'Click two points of the line to split along.',
    rectangle: 'Click two corners. Points snap to what is drawn.',
    circle: 'Click the centre, then the rim. Points snap to what is drawn.',
    polygon: 'Click the corners; Enter or a click on the first closes it.',
    face: 'Click the face that shall look up at the spindle.',
    edge: 'Click the edge that shall lie along X.',
    datum: 'Click the point that shall be X0 Y0.',
  };
</script>

<svelte:window onkeydown={key} />

<div class="desk">
  <TopLine>
    <a href="#/" class="quiet">Shelf /</a>
    {#if document}<a href="#/job/{job}" class="quiet">{document.name} /</a>{/if}
    <h1>{document ? 'Part and areas' : 'New job'}</h1>
    {#if document}<a href="#/new/after/{job}" class="next">Next setup of this part</a>{/if}
    <span class="spring"></span>
    {#if desk.layout}
      <button class="plain" disabled={!desk.done.length} onclick={() => desk.undo()}>undo</button>
      <button class="plain" disabled={!desk.undone.length} onclick={() => desk.redo()}>redo</button>
      <button
        class="plain"
        onclick={() => (desk.units = desk.units === 'mm' ? 'in' : 'mm')}
        title="Units shown"
      >
        {desk.units === 'mm' ? 'mm, show inches' : 'in, show millimetres'}
      </button>
      <span class="quiet">{desk.missing}</span>
      <button class="main" disabled={desk.missing !== '' || desk.busy} onclick={finish}>
        {document ? 'Take it to the bench' : 'Put it on the bench'}
      </button>
      <button class="plain" aria-label="Keys" title="Keys" onclick={() => (keys = !keys)}>?</button>
    {/if}
  </TopLine>
  <main>
    <section class="steps">
      {#each desk.faults as sentence (sentence)}<p class="over" role="alert">{sentence}</p>{/each}
      {#each STEPS as [step, title], n (step)}
        {#if step === 'part' || desk.layout}
          {#if !(step === 'cut' && document)}
            <div class="step" class:open={desk.step === step}>
              <h2>
                <button
                  class="plain head"
                  aria-expanded={desk.step === step}
                  onclick={() => (desk.step = step)}
                >
                  <span>{n + 1} {title}</span>
                  {#if desk.step !== step}<span class="quiet">{essence[step]}</span>{/if}
                </button>
              </h2>
              {#if desk.step === step}
                <div class="body">
                  {#if step === 'part'}
                    <StepPart {desk} onnewversion={job === null ? null : newVersion} />
                    {#each desk.changed as f, i (i)}
                      <p class="finding"><strong>{f.severity}</strong> {f.sentence} {f.hint}</p>
                    {/each}
                  {:else if step === 'lies'}<StepLies {desk} />
                  {:else if step === 'stock'}<StepStock {desk} {job} />
                  {:else if step === 'areas'}<StepAreas {desk} />
                  {:else if stores}
                    <label class="pick">
                      Material
                      <select bind:value={material}>
                        {#each stores.materials as m (m.id)}<option value={m.id}>{m.name}</option>{/each}
                      </select>
                    </label>
                    <label class="pick">
                      Machine
                      <select bind:value={machine}>
                        {#each stores.machines as m (m.id)}<option value={m.id}>{m.name}</option>{/each}
                      </select>
                    </label>
                    <label class="pick">
                      Cutter
                      <select bind:value={cutter}>
                        {#each stores.tools.filter((t) => ROUGHERS.includes(t.kind ?? '')) as t (t.id)}<option
                            value={t.id}>{t.name}</option
                          >{/each}
                      </select>
                    </label>
                    <label class="pick">Name <input type="text" bind:value={name} /></label>
                  {/if}
                  {#if desk.layout && n < (document ? 3 : 4)}
                    <p>
                      <button onclick={() => (desk.step = STEPS[n + 1]![0])}
                        >On to {STEPS[n + 1]![1].toLowerCase()}</button
                      >
                    </p>
                  {/if}
                </div>
              {/if}
            </div>
          {/if}
        {/if}
      {/each}
    </section>
    <section class="paper">
      {#if desk.layout}
        <div class="bar">
          <div role="radiogroup" aria-label="View">
            <button role="radio" aria-checked={desk.view === 'above'} onclick={() => (desk.view = 'above')}>
              From above
            </button>
            <button
              role="radio"
              aria-checked={desk.view === 'space'}
              disabled={desk.isDrawing}
              onclick={() => (desk.view = 'space')}>In space</button
            >
          </div>
          <span class="quiet"
            >{desk.tool === 'areas' && desk.view === 'space' ? IN_SPACE : HINTS[desk.tool]}</span
          >
          {#if desk.tool !== 'areas'}<button class="plain" onclick={() => (desk.tool = 'areas')}>stop</button
            >{/if}
        </div>
        <div class="sheet">
          {#if desk.view === 'space'}<SpaceView bind:this={space} {desk} />{:else}<AboveView
              {desk}
              {limits}
            />{/if}
        </div>
      {:else if !desk.reading}
        <p class="quiet empty">The part will lie here.</p>
      {/if}
    </section>
  </main>
  {#if keys}
    <KeyList keys={KEYS} />
  {/if}
</div>

<style>
  .next {
    color: var(--pencil);
  }
  .desk {
    height: 100%;
    display: flex;
    flex-direction: column;
  }
  h1 {
    font-size: 15px;
    font-weight: 600;
  }
  .spring {
    flex: 1;
  }
  main {
    flex: 1;
    min-height: 0;
    display: grid;
    grid-template-columns: 348px minmax(0, 1fr);
  }
  .steps {
    overflow: auto;
    padding: 10px 16px 24px;
    border-right: 1px solid var(--rule);
  }
  .step {
    border-bottom: 1px solid var(--rule);
    padding: 6px 0;
  }
  .step.open {
    border-bottom-color: var(--ink);
  }
  .head {
    width: 100%;
    display: flex;
    justify-content: space-between;
    gap: 12px;
    padding: 2px 0;
    font-size: 16px;
    font-weight: 600;
    text-align: left;
  }
  .head span {
    white-space: nowrap;
  }
  .head .quiet {
    font-size: 13px;
    font-weight: 400;
    text-align: right;
    align-self: center;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .body {
    display: grid;
    gap: 8px;
    padding: 6px 0 8px;
  }
  .body :global(h3) {
    margin-top: 6px;
  }
  .pick {
    display: grid;
    grid-template-columns: 74px 1fr;
    gap: 6px;
    align-items: center;
  }
  .pick select,
  .pick input {
    min-width: 0;
  }
  .finding {
    border-left: 3px solid var(--over);
    padding-left: 8px;
  }
  .paper {
    min-width: 0;
    min-height: 0;
    display: flex;
    flex-direction: column;
    background: var(--sheet);
  }
  .bar {
    flex: none;
    display: flex;
    align-items: center;
    gap: 14px;
    padding: 6px 12px;
    border-bottom: 1px solid var(--rule);
    white-space: nowrap;
    overflow: hidden;
  }
  .bar [role='radio'] {
    border-color: var(--rule);
    padding: 3px 10px;
    font-weight: 400;
  }
  .bar [role='radio'][aria-checked='true'] {
    border-color: var(--ink);
    font-weight: 600;
  }
  .sheet {
    flex: 1;
    min-height: 0;
  }
  .empty {
    padding: 40px;
  }
</style>
