<script lang="ts">
  /**
   * A number field that takes units, fractions and sums. The server reads what is typed; the
   * reading is shown in both systems while typing, and taken over on Enter or on leaving.
   */
  import * as api from '../api/client';
  import { number } from '../format';
  import { pending } from './pending';

  interface Props {
    label: string;
    /** In the kind's base unit: mm, mm/min, rpm, degrees, per cent. Null: not given. */
    value: number | null;
    kind?: 'length' | 'feed' | 'speed' | 'angle' | 'share';
    units?: 'mm' | 'in';
    digits?: number;
    /** Beside the field: "pinned", "worked out" … */
    note?: string;
    pinned?: boolean;
    disabled?: boolean;
    onchange: (value: number) => void;
    /** Called with each sound reading while typing. */
    onlive?: (value: number) => void;
    onunpin?: () => void;
  }
  let {
    label,
    value,
    kind = 'length',
    units = 'mm',
    digits = 3,
    note = '',
    pinned = false,
    disabled = false,
    onchange,
    onlive,
    onunpin,
  }: Props = $props();

  const SUFFIX = { length: 'mm', feed: 'mm/min', speed: 'rpm', angle: '°', share: '%' };
  const inch = $derived(units === 'in' && (kind === 'length' || kind === 'feed'));
  const suffix = $derived(inch ? (kind === 'length' ? 'in' : 'in/min') : SUFFIX[kind]);
  const shown = $derived(
    value === null ? '' : number(inch ? value / 25.4 : value, inch ? digits + 1 : digits),
  );
  let typed = $state<string | null>(null);
  let reading = $state<api.Quantity | null>(null);
  let fault = $state('');
  let asked = 0;

  async function read(text: string): Promise<api.Quantity | null> {
    const mine = ++asked;
    try {
      const answer = await api.quantity(text.replace(/\u202f/g, ''), kind, units);
      if (mine === asked) [reading, fault] = [answer, ''];
      return answer;
    } catch (error) {
      if (mine === asked) [reading, fault] = [null, (error as Error).message];
      return null;
    }
  }

  /** What is being taken over: leaving a field after Enter takes nothing twice. */
  let taken: string | null = null;
  /** What stood there before it was typed in: a preview may show what is typed already. */
  let stood = '';

  async function typing(event: Event) {
    const text = (event.target as HTMLInputElement).value;
    if (typed === null) stood = shown;
    typed = text;
    taken = null;
    const answer = await read(text);
    if (answer && typed === text) onlive?.(answer.value);
  }

  async function take() {
    const text = typed;
    if (text === null || text === taken) return;
    if (text === stood) return leave();
    if (text.trim() === '' && onunpin) {
      leave();
      return onunpin();
    }
    taken = text;
    const answer = await read(text);
    if (!answer) {
      taken = null;
      return;
    }
    // Something else may have been typed while it was read.
    if (typed === text) leave();
    onchange(answer.value);
  }

  function leave() {
    [typed, taken, reading, fault] = [null, null, null, ''];
  }

  function key(event: KeyboardEvent) {
    if (event.key === 'Enter') pending(take());
    if (event.key === 'Escape') leave();
  }
</script>

<label class:pinned>
  <span class="name">{label}</span>
  <span class="box" class:bad={fault}>
    <input
      type="text"
      aria-label={label}
      value={typed ?? shown}
      oninput={typing}
      onblur={() => pending(take())}
      onkeydown={key}
      {disabled}
      aria-invalid={fault !== ''}
    />
    <span class="unit">{suffix}</span>
  </span>
  {#if pinned && onunpin}
    <button
      type="button"
      class="plain note"
      title="Let the app work it out"
      onclick={(e) => {
        e.preventDefault();
        leave();
        onunpin();
      }}>{note}</button
    >
  {:else if note}
    <span class="note quiet">{note}</span>
  {/if}
</label>
{#if typed !== null && (fault || reading)}
  <p class="reading" class:over={fault} role={fault ? 'alert' : undefined}>
    {fault || `${reading?.metric} = ${reading?.inch}`}
  </p>
{/if}

<style>
  label {
    display: grid;
    grid-template-columns: 74px 100px 1fr;
    align-items: center;
    gap: 4px 6px;
    margin-top: 4px;
  }
  .box {
    display: flex;
    align-items: center;
    border: 1px solid var(--hatch);
    background: var(--field);
  }
  .box:focus-within {
    outline: 2px solid var(--pencil);
  }
  .box.bad {
    border-color: var(--over);
  }
  input {
    width: 100%;
    min-width: 0;
    border: 0;
    background: none;
    outline: none;
    padding: 3px 2px 3px 7px;
  }
  .unit {
    color: var(--quiet);
    padding-right: 6px;
    white-space: nowrap;
  }
  .note {
    font-size: 12.5px;
    white-space: nowrap;
    text-align: left;
    padding: 0;
  }
  button.note {
    color: var(--pencil);
    font-weight: 600;
    text-decoration: underline dotted;
    text-underline-offset: 3px;
  }
  .reading {
    font-size: 13px;
    color: var(--quiet);
    padding-left: 80px;
  }
  .reading.over {
    color: #b23312;
    padding-left: 0;
  }
</style>
