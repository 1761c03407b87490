/** A part in space: three.js scene of its body, edges, stock, datum and chosen areas; drawn on demand. */
import * as THREE from 'three';

export interface SolidMesh {
  vertices: Float32Array;
  triangles: Uint32Array;
  faces: Int32Array;
  /** Pairs of points. */
  lines: Float32Array;
  /** Per face: 1 when it may look up. */
  flat: Uint8Array;
}

/** The binary block of `server.core.parts.mesh`. */
export function readMesh(buffer: ArrayBuffer): SolidMesh {
  const [v, t, l, f] = new Uint32Array(buffer, 0, 4) as unknown as [number, number, number, number];
  let at = 16;
  const vertices = new Float32Array(buffer, at, 3 * v);
  at += 12 * v;
  const triangles = new Uint32Array(buffer, at, 3 * t);
  at += 12 * t;
  const faces = new Int32Array(buffer, at, t);
  at += 4 * t;
  const lines = new Float32Array(buffer, at, 6 * l);
  at += 24 * l;
  return { vertices, triangles, faces, lines, flat: new Uint8Array(buffer, at, f) };
}

type Point = [number, number, number];

export interface Hit {
  point: Point;
  /** Unit normal in the model's own coordinates. */
  normal: Point;
  face: number;
  /** Whether the face is flat and may look up. */
  flat: boolean;
  /** The edge segment next to the hit, in the model's own coordinates, if one is near. */
  edge: [Point, Point] | null;
}

export interface Scene {
  mesh: SolidMesh | null;
  matrix: number[][];
  stockLow: Point;
  stockHigh: Point;
  stockRings: [number, number][][];
  /** Outlines at their floors, with whether they are accepted, selected. */
  areas: { rings: [number, number][][]; bottom: number; accepted: boolean; selected: boolean }[];
  keepOuts: { points: [number, number][]; bottom: number; top: number }[];
}

const INK = 0x22303a;
const PENCIL = 0x2b56a3;
const HATCH = 0x9a8f78;
const OVER = 0xd8431f;

export class SpaceLayer {
  #renderer: THREE.WebGLRenderer;
  #scene = new THREE.Scene();
  #camera = new THREE.OrthographicCamera(-1, 1, 1, -1, -1e4, 1e4);
  #model = new THREE.Group();
  #extra = new THREE.Group();
  #highlight: THREE.Mesh | null = null;
  #solid: THREE.Mesh | null = null;
  #mesh: SolidMesh | null = null;
  #matrix = new THREE.Matrix4();
  #low = new THREE.Vector3();
  #high = new THREE.Vector3();
  /** Turn about Z and tilt from above, radians; zoom as a factor; shift in the picture's plane. */
  turn = -0.6;
  tilt = 0.95;
  zoom = 1;
  shift: [number, number] = [0, 0];

  constructor(canvas: HTMLCanvasElement) {
    this.#renderer = new THREE.WebGLRenderer({ canvas, antialias: true, alpha: true });
    this.#renderer.setClearColor(0x000000, 0);
    THREE.ColorManagement.enabled = false;
    this.#renderer.outputColorSpace = THREE.LinearSRGBColorSpace;
    const sun = new THREE.DirectionalLight(0xffffff, 1.9);
    sun.position.set(0.4, -0.7, 1.2);
    const other = new THREE.DirectionalLight(0xffffff, 0.7);
    other.position.set(-0.8, 0.5, 0.3);
    this.#scene.add(new THREE.AmbientLight(0xffffff, 1.15), sun, other, this.#model, this.#extra);
  }

  dispose() {
    this.#clear(this.#model);
    this.#clear(this.#extra);
    this.#renderer.dispose();
  }

  #clear(group: THREE.Group) {
    group.traverse((o) => {
      const thing = o as THREE.Mesh;
      thing.geometry?.dispose();
      (thing.material as THREE.Material | undefined)?.dispose();
    });
    group.clear();
  }

  show(scene: Scene) {
    const m = scene.matrix.flat() as Parameters<THREE.Matrix4['set']>;
    this.#matrix.set(...m);
    if (scene.mesh !== this.#mesh) {
      this.#mesh = scene.mesh;
      this.#clear(this.#model);
      this.#solid = null;
      if (scene.mesh && scene.mesh.triangles.length) this.#addSolid(scene.mesh);
    }
    this.#model.matrixAutoUpdate = false;
    this.#model.matrix.copy(this.#matrix);
    this.#low.set(...scene.stockLow);
    this.#high.set(...scene.stockHigh);
    this.#clear(this.#extra);
    this.#addStock(scene);
    this.#addAreas(scene);
    this.#addDatum();
    this.highlight(null);
  }

  #addSolid(mesh: SolidMesh) {
    // Unshared corners: each facet gets its own normal, as a machined face looks.
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute('position', new THREE.BufferAttribute(mesh.vertices, 3));
    geometry.setIndex(new THREE.BufferAttribute(mesh.triangles, 1));
    const flat = geometry.toNonIndexed();
    geometry.dispose();
    flat.computeVertexNormals();
    this.#solid = new THREE.Mesh(
      flat,
      new THREE.MeshLambertMaterial({
        color: 0xcfc8b6,
        side: THREE.DoubleSide,
        polygonOffset: true,
        polygonOffsetFactor: 1,
        polygonOffsetUnits: 1,
      }),
    );
    const edges = new THREE.BufferGeometry();
    edges.setAttribute('position', new THREE.BufferAttribute(mesh.lines, 3));
    this.#model.add(this.#solid, new THREE.LineSegments(edges, new THREE.LineBasicMaterial({ color: INK })));
  }

  #line(points: number[], colour: number, closed = false, dashed = false): THREE.Object3D {
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute('position', new THREE.Float32BufferAttribute(points, 3));
    const material = dashed
      ? new THREE.LineDashedMaterial({ color: colour, dashSize: 4, gapSize: 2 })
      : new THREE.LineBasicMaterial({ color: colour });
    const line = closed ? new THREE.LineLoop(geometry, material) : new THREE.LineSegments(geometry, material);
    if (dashed) line.computeLineDistances();
    return line;
  }

  #addStock(scene: Scene) {
    const [z1, z2] = [scene.stockLow[2], scene.stockHigh[2]];
    for (const ring of scene.stockRings) {
      for (const z of [z1, z2])
        this.#extra.add(
          this.#line(
            ring.flatMap(([x, y]) => [x, y, z]),
            HATCH,
            true,
            true,
          ),
        );
      if (ring.length <= 8)
        this.#extra.add(
          this.#line(
            ring.flatMap(([x, y]) => [x, y, z1, x, y, z2]),
            HATCH,
            false,
            true,
          ),
        );
    }
  }

  #addAreas(scene: Scene) {
    for (const area of scene.areas) {
      if (!area.accepted && !area.selected) continue;
      const colour = area.selected ? PENCIL : 0x104e5c;
      const [outer, ...holes] = area.rings;
      if (!outer) continue;
      const shape = new THREE.Shape(outer.map(([x, y]) => new THREE.Vector2(x, y)));
      shape.holes = holes.map((h) => new THREE.Path(h.map(([x, y]) => new THREE.Vector2(x, y))));
      const floor = new THREE.Mesh(
        new THREE.ShapeGeometry(shape),
        new THREE.MeshBasicMaterial({
          color: colour,
          transparent: true,
          opacity: 0.3,
          side: THREE.DoubleSide,
          depthWrite: false,
        }),
      );
      floor.position.z = area.bottom + 0.05;
      this.#extra.add(floor);
      for (const ring of area.rings)
        this.#extra.add(
          this.#line(
            ring.flatMap(([x, y]) => [x, y, area.bottom + 0.1]),
            colour,
            true,
          ),
        );
    }
    for (const k of scene.keepOuts) {
      for (const z of [k.bottom, k.top])
        this.#extra.add(
          this.#line(
            k.points.flatMap(([x, y]) => [x, y, z]),
            OVER,
            true,
          ),
        );
      this.#extra.add(
        this.#line(
          k.points.flatMap(([x, y]) => [x, y, k.bottom, x, y, k.top]),
          OVER,
        ),
      );
    }
  }

  #addDatum() {
    const size = 0.16 * this.#size();
    for (const k of [0, 1, 2]) {
      const end = [0, 0, 0];
      end[k] = size;
      const line = this.#line([0, 0, 0, ...end], PENCIL) as THREE.LineSegments;
      (line.material as THREE.LineBasicMaterial).depthTest = false;
      line.renderOrder = 5;
      this.#extra.add(line);
    }
  }

  #size(): number {
    return Math.max(1, this.#high.distanceTo(this.#low));
  }

  /** The face under the pointer drawn in blue pencil; null takes it away. */
  highlight(face: number | null) {
    if (this.#highlight) {
      this.#model.remove(this.#highlight);
      this.#highlight.geometry.dispose();
      (this.#highlight.material as THREE.Material).dispose();
      this.#highlight = null;
    }
    const mesh = this.#mesh;
    if (face === null || !mesh) return;
    const points: number[] = [];
    for (let t = 0; t < mesh.faces.length; t++) {
      if (mesh.faces[t] !== face) continue;
      for (let c = 0; c < 3; c++) {
        const v = 3 * mesh.triangles[3 * t + c]!;
        points.push(mesh.vertices[v]!, mesh.vertices[v + 1]!, mesh.vertices[v + 2]!);
      }
    }
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute('position', new THREE.Float32BufferAttribute(points, 3));
    this.#highlight = new THREE.Mesh(
      geometry,
      new THREE.MeshBasicMaterial({
        color: PENCIL,
        transparent: true,
        opacity: 0.45,
        side: THREE.DoubleSide,
      }),
    );
    this.#model.add(this.#highlight);
  }

  #aim(width: number, height: number) {
    const middle = this.#low.clone().add(this.#high).multiplyScalar(0.5);
    const up = new THREE.Vector3(0, 0, 1).applyAxisAngle(new THREE.Vector3(1, 0, 0), 0);
    const away = new THREE.Vector3(
      Math.sin(this.tilt) * Math.sin(this.turn),
      -Math.sin(this.tilt) * Math.cos(this.turn),
      Math.cos(this.tilt),
    );
    // Straight from above, up in the picture is Y of the machine.
    if (this.tilt < 1e-3) up.set(-Math.sin(this.turn), Math.cos(this.turn), 0);
    this.#camera.position.copy(middle).addScaledVector(away, 2 * this.#size());
    this.#camera.up.copy(up);
    this.#camera.lookAt(middle);
    const half = (0.56 * this.#size()) / this.zoom;
    const across = Math.min(width, height);
    const [w, h] = [(half * width) / across, (half * height) / across];
    this.#camera.left = -w - this.shift[0] * half;
    this.#camera.right = w - this.shift[0] * half;
    this.#camera.top = h - this.shift[1] * half;
    this.#camera.bottom = -h - this.shift[1] * half;
    this.#camera.updateProjectionMatrix();
    this.#camera.updateMatrixWorld();
  }

  draw(width: number, height: number) {
    this.#renderer.setPixelRatio(devicePixelRatio);
    this.#renderer.setSize(width, height, false);
    this.#aim(width, height);
    this.#renderer.render(this.#scene, this.#camera);
  }

  /** What lies under a place of the picture (both from -1 to 1). */
  hit(x: number, y: number): Hit | null {
    const mesh = this.#mesh;
    if (!this.#solid || !mesh) return null;
    this.#scene.updateMatrixWorld(true);
    const ray = new THREE.Raycaster();
    ray.setFromCamera(new THREE.Vector2(x, y), this.#camera);
    const found = ray.intersectObject(this.#solid, false)[0];
    if (!found?.face || found.faceIndex == null) return null;
    const n = found.face.normal;
    const back = found.point.clone().applyMatrix4(this.#matrix.clone().invert());
    return {
      point: [found.point.x, found.point.y, found.point.z],
      normal: [n.x, n.y, n.z],
      face: mesh.faces[found.faceIndex]!,
      flat: mesh.flat[mesh.faces[found.faceIndex]!] === 1,
      edge: this.#edgeNear(back),
    };
  }

  #edgeNear(p: THREE.Vector3): [Point, Point] | null {
    const lines = this.#mesh!.lines;
    let best = 0.04 * this.#size();
    let found: [Point, Point] | null = null;
    const [a, b, on] = [new THREE.Vector3(), new THREE.Vector3(), new THREE.Vector3()];
    for (let k = 0; k < lines.length; k += 6) {
      a.fromArray(lines, k);
      b.fromArray(lines, k + 3);
      new THREE.Line3(a, b).closestPointToPoint(p, true, on);
      const d = on.distanceTo(p);
      // Long edges win over the short chords of arcs.
      if (d < best - 1e-9 && a.distanceTo(b) > 0.02 * this.#size()) {
        best = d;
        found = [a.toArray() as Point, b.toArray() as Point];
      }
    }
    return found;
  }

  /** Where a job point is in the picture, pixels. */
  project(p: Point, width: number, height: number): [number, number] {
    const v = new THREE.Vector3(...p).project(this.#camera);
    return [((v.x + 1) / 2) * width, ((1 - v.y) / 2) * height];
  }
}
