// Models compressed by other people's programs: `node compress.mjs FORM IN OUT`, beside their node_modules.
import fs from 'node:fs';
import { NodeIO } from '@gltf-transform/core';
import { ALL_EXTENSIONS, KHRDracoMeshCompression, EXTMeshoptCompression, KHRTextureBasisu } from '@gltf-transform/extensions';
import { quantize } from '@gltf-transform/functions';
import { MeshoptEncoder, MeshoptDecoder } from 'meshoptimizer';
import draco from 'draco3dgltf';
await MeshoptEncoder.ready; await MeshoptDecoder.ready;

const [form, from, to] = process.argv.slice(2);
const io = new NodeIO().registerExtensions(ALL_EXTENSIONS).registerDependencies({
  'meshopt.encoder': MeshoptEncoder, 'meshopt.decoder': MeshoptDecoder,
  'draco3d.encoder': await draco.createEncoderModule(), 'draco3d.decoder': await draco.createDecoderModule() });
const document = await io.read(from);
if (form === 'draco' || form === 'draco-edges') {
  document.createExtension(KHRDracoMeshCompression).setRequired(true).setEncoderOptions({
    method: form === 'draco' ? KHRDracoMeshCompression.EncoderMethod.SEQUENTIAL : KHRDracoMeshCompression.EncoderMethod.EDGEBREAKER,
    quantizationBits: { POSITION: 14, NORMAL: 12, TEX_COORD: 14, COLOR: 8, GENERIC: 14 } });
} else if (form === 'quantised') {
  await document.transform(quantize({ quantizePosition: 14, quantizeNormal: 10, quantizeTexcoord: 12 }));
} else if (form === 'meshopt' || form === 'meshopt-filter') {
  await document.transform(quantize({ quantizePosition: 14, quantizeNormal: 10, quantizeTexcoord: 12 }));
  document.createExtension(EXTMeshoptCompression).setRequired(true).setEncoderOptions({
    method: form === 'meshopt' ? EXTMeshoptCompression.EncoderMethod.QUANTIZE : EXTMeshoptCompression.EncoderMethod.FILTER });
} else if (form === 'etc1s' || form === 'uastc') {
  const { encodeToKTX2 } = await import('ktx2-encoder');
  document.createExtension(KHRTextureBasisu).setRequired(true);
  for (const texture of document.getRoot().listTextures()) {
    // Raw pixels, as no picture decoder is at hand here: width and height, then RGBA, beside the model.
    const raw = fs.readFileSync(`${from}.${texture.getName()}.rgba`);
    const width = raw.readUInt32LE(0), height = raw.readUInt32LE(4);
    const packed = await encodeToKTX2(new Uint8Array(raw.subarray(8)), {
      isUASTC: form === 'uastc', generateMipmap: true, needSupercompression: form === 'uastc', isSetKTX2SRGBTransferFunc: true, qualityLevel: 255,
      imageDecoder: async data => ({ data, width, height }) });
    texture.setImage(packed).setMimeType('image/ktx2').setURI('');
  }
} else if (form !== 'plain') throw new Error(form);
await io.write(to, document);
