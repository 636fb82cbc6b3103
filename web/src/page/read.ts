/** From a file or a camera's frame to an upright picture. */
import type { Engine, Picture } from "../engine/engine";

/** A canvas of more is refused by browsers, some without a word. */
const MOST_PIXELS = 64e6;

/** Rejects with an error whose message says what is wrong with the file and how to mend it. */
export async function readFile(engine: Engine, file: File): Promise<Picture> {
  if (!file.size) throw new Error("The file is empty. Choose another, or copy it again.");
  const bytes = new Uint8Array(await file.arrayBuffer());
  if (engine.isPng(bytes)) {
    try {
      return engine.read(bytes);
    } catch {
      throw new Error("The PNG file is damaged or cut off. Copy it again.");
    }
  }
  const bitmap = await createImageBitmap(file, {
    imageOrientation: "from-image",
    colorSpaceConversion: "none",
  }).catch(() => {
    throw new Error("This browser cannot read the file. Take JPEG, PNG, WebP, GIF or BMP.");
  });
  try {
    if (bitmap.width * bitmap.height > MOST_PIXELS) {
      throw new Error(
        `The picture has ${bitmap.width} × ${bitmap.height} pixels. Take one of at most 64 megapixels.`,
      );
    }
    return drawn(engine, bitmap, bitmap.width, bitmap.height);
  } finally {
    bitmap.close();
  }
}

/** What the camera shows now; undefined while it shows nothing. */
export function frameOf(engine: Engine, video: HTMLVideoElement): Picture | undefined {
  const { videoWidth: width, videoHeight: height } = video;
  return width && height ? drawn(engine, video, width, height) : undefined;
}

let canvas: HTMLCanvasElement | undefined;

/** Through a canvas, which is kept: a camera gives many frames. */
function drawn(engine: Engine, source: CanvasImageSource, width: number, height: number): Picture {
  canvas ??= document.createElement("canvas");
  canvas.width = width;
  canvas.height = height;
  const context = canvas.getContext("2d", { willReadFrequently: true });
  if (!context) throw new Error("This browser draws no pictures. Take another, or close some of its tabs.");
  context.drawImage(source, 0, 0);
  return engine.laid(context.getImageData(0, 0, width, height).data, width, height);
}
