<script lang="ts">
  /** A place in the plane, typed as X and Y; what is not one is said below, and nothing is changed. */
  import { number } from '../format';
  import TextField from '../parts/TextField.svelte';

  interface Props {
    /** What stands before the field, and what a reader of the screen hears. */
    name: string;
    label: string;
    value: [number, number] | null;
    placeholder?: string;
    onchange: (place: [number, number]) => Promise<void>;
    /** Given: an empty field is understood too. */
    onempty?: () => Promise<void>;
  }
  let { name, label, value, placeholder, onchange, onempty }: Props = $props();
  let fault = $state('');

  /** X and Y; undefined where that is not what was typed. */
  function placeIn(words: string): [number, number] | undefined {
    const [x, y, ...more] = words
      .trim()
      .split(/[\s;]+/)
      .map((w) => Number(w.replace(',', '.')));
    return Number.isFinite(x) && Number.isFinite(y) && !more.length ? [x!, y!] : undefined;
  }

  async function take(typed: string): Promise<boolean> {
    fault = '';
    if (!typed.trim() && onempty) {
      await onempty();
      return true;
    }
    const place = placeIn(typed);
    if (place) await onchange(place);
    else fault = `"${typed}" is not a place: give X and Y with a space between them.`;
    return place !== undefined;
  }
</script>

<label>
  <span class="name">{name}</span>
  <TextField
    {label}
    {placeholder}
    value={value ? value.map((v) => number(v, 3)).join(' ') : ''}
    ontake={take}
  />
</label>
{#if fault}<p class="fault" role="alert">{fault}</p>{/if}

<style>
  label {
    display: flex;
    gap: 6px;
    align-items: center;
    margin-top: 4px;
  }
  .name {
    flex: 0 0 74px;
    overflow: hidden;
    white-space: nowrap;
    text-overflow: ellipsis;
  }
  .fault {
    margin: 4px 0 0;
    color: var(--over);
  }
</style>
