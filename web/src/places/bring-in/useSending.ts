/** Sends files, has them read, and goes to their reading plan. */
import { useCallback, useRef, useState } from "react";
import { useNavigate } from "react-router";
import { useNotices } from "../../parts/Notices";
import { type ChosenFile, readSource, type SourceOf, sourceName, upload } from "./bringIn";

export interface Sending {
  readonly total: number;
  readonly sent: number;
}

export interface Sender {
  readonly sending: Sending | undefined;
  readonly send: (
    files: readonly ChosenFile[],
    options?: { name?: string; className?: string },
  ) => Promise<void>;
  readonly read: (source: SourceOf) => Promise<void>;
  readonly stop: () => void;
}

export function useSending(projectId: number): Sender {
  const [sending, setSending] = useState<Sending>();
  const control = useRef<AbortController>(undefined);
  const navigate = useNavigate();
  const { fail } = useNotices();

  const read = useCallback(
    async (source: SourceOf) => {
      try {
        const entry = await readSource(projectId, source);
        navigate({ pathname: `/p/${projectId}/rows/bring-in/${entry.id}` });
      } catch (error) {
        fail(error);
      }
    },
    [projectId, navigate, fail],
  );

  const send = useCallback(
    async (files: readonly ChosenFile[], options: { name?: string; className?: string } = {}) => {
      if (!files.length) return;
      const asked = new AbortController();
      control.current = asked;
      setSending({ total: files.length, sent: 0 });
      try {
        const location = await upload(
          files,
          (sent) => setSending({ total: files.length, sent }),
          asked.signal,
        );
        const name = options.name ?? sourceName(files);
        await read({
          kind: "upload",
          location,
          name,
          ...(options.className ? { className: options.className } : {}),
        });
      } catch (error) {
        if (!asked.signal.aborted) fail(error);
      }
      setSending(undefined);
    },
    [read, fail],
  );

  return { sending, send, read, stop: () => control.current?.abort() };
}
