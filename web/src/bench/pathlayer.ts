/** The path in three.js: one buffer of segments, coloured by the lens; drawn on demand. */
import * as THREE from 'three';
import { loadColour } from '../format';
import type { Lens } from './bench.svelte';
import { CUT, ENTRY, POSITION, type Trace } from './trace';
import type { Size, View } from './view';

const LINK_COLOUR: [number, number, number] = [0xc6, 0xba, 0xa2];
const FAINT: [number, number, number] = [0xe6, 0xdf, 0xd0];

export class PathLayer {
  #renderer: THREE.WebGLRenderer;
  #scene = new THREE.Scene();
  #camera = new THREE.OrthographicCamera(-1, 1, 1, -1, -1e4, 1e4);
  #lines: THREE.LineSegments | null = null;
  #faint: THREE.LineSegments | null = null;
  /** For each drawn segment the index of the path point that ends it. */
  #ends: Uint32Array = new Uint32Array(0);

  constructor(canvas: HTMLCanvasElement) {
    this.#renderer = new THREE.WebGLRenderer({ canvas, antialias: true, alpha: true });
    this.#renderer.setClearColor(0x000000, 0);
    THREE.ColorManagement.enabled = false;
    this.#renderer.outputColorSpace = THREE.LinearSRGBColorSpace;
  }

  dispose() {
    this.#clear();
    this.#renderer.dispose();
  }

  #clear() {
    for (const lines of [this.#lines, this.#faint]) {
      if (!lines) continue;
      this.#scene.remove(lines);
      (lines.material as THREE.Material).dispose();
    }
    this.#lines?.geometry.dispose();
    this.#faint?.geometry.dispose();
    this.#lines = this.#faint = null;
  }

  /** Build the segments of one operation, at one level or all of them. */
  show(trace: Trace | null, range: [number, number], level: number | null, lens: Lens, topFeed: number) {
    this.#clear();
    if (!trace) return;
    const ends: number[] = [];
    for (let k = Math.max(1, range[0]); k < range[1]; k++) {
      if (trace.part[k] === POSITION) continue;
      if (level === null || Math.abs(trace.level[k]! - level) < 1e-3) ends.push(k);
    }
    this.#ends = Uint32Array.from(ends);
    const positions = new Float32Array(ends.length * 6);
    const colours = new Float32Array(ends.length * 6);
    ends.forEach((k, i) => {
      positions.set(trace.position.subarray(3 * (k - 1), 3 * (k + 1)), 6 * i);
      positions[6 * i + 2] = positions[6 * i + 5] = trace.part[k] === CUT ? 1 : 0;
      const colour = this.#colour(trace, k, lens, topFeed, range);
      for (let c = 0; c < 6; c++) colours[6 * i + c] = colour[c % 3]! / 255;
    });
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute('position', new THREE.BufferAttribute(positions, 3));
    geometry.setAttribute('color', new THREE.BufferAttribute(colours, 3));
    this.#lines = new THREE.LineSegments(geometry, new THREE.LineBasicMaterial({ vertexColors: true }));
    const rest = new THREE.BufferGeometry();
    rest.setAttribute('position', geometry.getAttribute('position'));
    const [r, g, b] = FAINT;
    this.#faint = new THREE.LineSegments(
      rest,
      new THREE.LineBasicMaterial({ color: new THREE.Color(r / 255, g / 255, b / 255) }),
    );
    this.#scene.add(this.#faint, this.#lines);
  }

  #colour(trace: Trace, k: number, lens: Lens, topFeed: number, range: [number, number]) {
    if (lens === 'feed') return loadColour(Math.min(1, trace.feed[k]! / topFeed));
    if (trace.part[k] !== CUT && trace.part[k] !== ENTRY) return LINK_COLOUR;
    if (lens === 'order') return loadColour((k - range[0]) / Math.max(1, range[1] - range[0]));
    return trace.part[k] === ENTRY ? LINK_COLOUR : loadColour(trace.share[k]!);
  }

  /** Draw what is cut up to path point `upTo` in colour, the rest faint. */
  draw(view: View, size: Size, upTo: number) {
    this.#renderer.setPixelRatio(devicePixelRatio);
    this.#renderer.setSize(size.width, size.height, false);
    const [w, h] = [size.width / view.scale / 2, size.height / view.scale / 2];
    this.#camera.left = view.x - w;
    this.#camera.right = view.x + w;
    this.#camera.bottom = view.y - h;
    this.#camera.top = view.y + h;
    this.#camera.position.set(0, 0, 10);
    this.#camera.updateProjectionMatrix();
    let low = 0;
    let high = this.#ends.length;
    while (low < high) {
      const middle = (low + high) >> 1;
      if (this.#ends[middle]! <= upTo) low = middle + 1;
      else high = middle;
    }
    this.#lines?.geometry.setDrawRange(0, 2 * low);
    this.#faint?.geometry.setDrawRange(2 * low, 2 * (this.#ends.length - low));
    this.#renderer.render(this.#scene, this.#camera);
  }
}
