/** The drawn graph as a picture that stands alone: every style it needs is written into it. */
import type { Layout } from '../../workers/views.ts';

const STYLES = [
  'fill',
  'stroke',
  'stroke-width',
  'stroke-dasharray',
  'opacity',
  'font-family',
  'font-size',
  'font-weight',
  'text-anchor',
  'text-decoration',
  'paint-order',
] as const;

/** @returns the SVG text of a whole drawing, wherever the view has moved. */
export function svgOf(scene: SVGGElement, { width, height }: Pick<Layout, 'width' | 'height'>): string {
  const copy = scene.cloneNode(true) as SVGGElement;
  const drawn = scene.querySelectorAll('*');
  copy.querySelectorAll('*').forEach((element, i) => {
    const style = getComputedStyle(drawn[i]!);
    for (const name of STYLES) element.setAttribute(name, style.getPropertyValue(name));
    for (const name of ['class', 'tabindex', 'role']) element.removeAttribute(name);
  });
  copy.removeAttribute('class');
  const paper = getComputedStyle(document.body).backgroundColor;
  const text = new XMLSerializer().serializeToString(copy);
  return `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${width} ${height}" width="${width}" height="${height}"><rect width="100%" height="100%" fill="${paper}"/>${text}</svg>\n`;
}

/** Browsers draw no canvas larger than this on a side. */
const LARGEST = 16_000;

/** @returns the picture in dots, two for each unit where that is possible. */
export async function pngOf(
  svg: string,
  { width, height }: Pick<Layout, 'width' | 'height'>,
): Promise<Uint8Array> {
  const image = new Image();
  image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(svg)}`;
  await image.decode();
  const scale = Math.min(2, LARGEST / width, LARGEST / height);
  const canvas = document.createElement('canvas');
  canvas.width = Math.ceil(width * scale);
  canvas.height = Math.ceil(height * scale);
  canvas.getContext('2d')!.drawImage(image, 0, 0, canvas.width, canvas.height);
  const blob = await new Promise<Blob | null>((done) => canvas.toBlob(done, 'image/png'));
  if (!blob) throw new Error('it is too large for a PNG; save it as SVG');
  return new Uint8Array(await blob.arrayBuffer());
}
