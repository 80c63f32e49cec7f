// What other people's readers make of a model: `node read_modern.mjs transform|three FILE`, beside their node_modules.
import fs from 'node:fs';
const [reader, file] = process.argv.slice(2);
const plain = a => Array.from(a);
const out = { positions: [], normals: [], indices: [], textures: [], used: [] };
if (reader === 'transform') {
  const { NodeIO } = await import('@gltf-transform/core');
  const { ALL_EXTENSIONS } = await import('@gltf-transform/extensions');
  const { MeshoptDecoder } = await import('meshoptimizer');
  const { default: draco } = await import('draco3dgltf');
  await MeshoptDecoder.ready;
  const io = new NodeIO().registerExtensions(ALL_EXTENSIONS).registerDependencies({
    'meshopt.decoder': MeshoptDecoder, 'draco3d.decoder': await draco.createDecoderModule() });
  const root = (await io.read(file)).getRoot();
  const rows = a => { const all = []; for (let i = 0; i < a.getCount(); i++) all.push(...a.getElement(i, [])); return all; };
  for (const mesh of root.listMeshes()) for (const p of mesh.listPrimitives()) {
    out.positions.push(rows(p.getAttribute('POSITION'))); out.normals.push(rows(p.getAttribute('NORMAL')));
    out.indices.push(plain(p.getIndices().getArray()));
  }
  out.textures = root.listTextures().map(t => t.getMimeType());
  out.used = root.listExtensionsUsed().map(e => e.extensionName).sort();
} else {
  globalThis.self = globalThis;
  const { GLTFLoader } = await import('three/examples/jsm/loaders/GLTFLoader.js');
  const { MeshoptDecoder } = await import('three/examples/jsm/libs/meshopt_decoder.module.js');
  const data = fs.readFileSync(file);
  const loader = new GLTFLoader().setMeshoptDecoder(MeshoptDecoder);
  const gltf = await loader.parseAsync(data.buffer.slice(data.byteOffset, data.byteOffset + data.length), '');
  const rows = a => { const all = []; for (let i = 0; i < a.count; i++) all.push(a.getX(i), a.getY(i), a.getZ(i)); return all; };
  gltf.scene.updateMatrixWorld(true);
  const path = o => o === gltf.scene ? [] : [...path(o.parent), o.parent.children.indexOf(o)];
  out.tree = [];
  // Bounds of everything as it stands, instances each at its own place.
  const { Matrix4, Vector3 } = await import('three');
  out.low = [Infinity, Infinity, Infinity]; out.high = [-Infinity, -Infinity, -Infinity]; out.instances = 0;
  gltf.scene.traverse(o => {
    if (!o.isMesh) return;
    const places = [], own = new Matrix4(), at = new Vector3(), points = o.geometry.attributes.position;
    if (o.isInstancedMesh) for (let i = 0; i < o.count; i++) { o.getMatrixAt(i, own); places.push(own.clone().premultiply(o.matrixWorld)); }
    else places.push(o.matrixWorld);
    out.instances += places.length;
    for (const place of places) for (let i = 0; i < points.count; i++) {
      at.fromBufferAttribute(points, i).applyMatrix4(place);
      ['x', 'y', 'z'].forEach((axis, k) => { out.low[k] = Math.min(out.low[k], at[axis]); out.high[k] = Math.max(out.high[k], at[axis]); });
    } });
  gltf.scene.traverse(o => {
    const e = o.matrixWorld.elements;
    out.tree.push({ name: o.name, mesh: !!o.isMesh, path: path(o).join('/'), at: [e[12], e[13], e[14]], along: [e[8], e[9], e[10]],
      triangles: o.isMesh ? o.geometry.index.count / 3 : 0 });
    if (o.isMesh) {
      const normal = o.geometry.attributes.normal;
      out.positions.push(rows(o.geometry.attributes.position)); out.normals.push(normal ? rows(normal) : []);
      out.indices.push(plain(o.geometry.index.array)); } });
}
fs.writeFileSync(1, JSON.stringify(out));
