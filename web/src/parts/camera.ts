/** The computer's camera. */
import { type RefObject, useEffect, useState } from "react";

function cameraWords(error: unknown): string {
  const name = error instanceof DOMException ? error.name : "";
  if (name === "NotAllowedError") {
    return "The browser may not use the camera. Allow it in the browser's settings for this page, then open the camera again.";
  }
  if (name === "NotFoundError") {
    return "This computer has no camera. Connect one, then open the camera again.";
  }
  return `The camera cannot be opened (${String(error)}). Close other programs that use it, then try again.`;
}

/** Shows the camera in `video`; what went wrong, if it cannot. */
export function useCamera(video: RefObject<HTMLVideoElement | null>): string | undefined {
  const [wrong, setWrong] = useState<string>();
  useEffect(() => {
    let stream: MediaStream | undefined;
    let gone = false;
    const open = async () => {
      try {
        stream = await navigator.mediaDevices.getUserMedia({ video: true });
        if (gone) for (const track of stream.getTracks()) track.stop();
        else if (video.current) video.current.srcObject = stream;
      } catch (error) {
        setWrong(cameraWords(error));
      }
    };
    void open();
    return () => {
      gone = true;
      for (const track of stream?.getTracks() ?? []) track.stop();
    };
  }, [video]);
  return wrong;
}

/** What the camera shows now, as a file. Rejects where the browser cannot make one. */
export function shotOf(video: HTMLVideoElement, name: string, type: string): Promise<File> {
  const canvas = document.createElement("canvas");
  canvas.width = video.videoWidth;
  canvas.height = video.videoHeight;
  canvas.getContext("2d")?.drawImage(video, 0, 0);
  return new Promise((resolve, reject) => {
    canvas.toBlob(
      (blob) =>
        blob ? resolve(new File([blob], name, { type })) : reject(new Error("The shot was not made.")),
      type,
      0.95,
    );
  });
}
