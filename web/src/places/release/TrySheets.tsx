/** What else can be tried: a bucket, asked with a key that is kept nowhere, and pictures of the project by a Sift. */
import { useState } from "react";
import type { Model } from "../../api/client";
import { useNotices } from "../../parts/Notices";
import { SheetForm } from "../../parts/SheetForm";
import { TextField } from "../../parts/TextField";
import type { Picked } from "./picking";
import { fromBucket, fromProject } from "./useTrying";

interface Props {
  onClose: () => void;
  onFiles: (files: readonly Picked[]) => Promise<void>;
}

export function BucketSheet({ onClose, onFiles }: Props) {
  const [location, setLocation] = useState("");
  const [key, setKey] = useState("");
  const [secret, setSecret] = useState("");
  return (
    <SheetForm
      title="Pictures of a bucket"
      action="Try them"
      ready={!!location.trim()}
      onClose={onClose}
      onSubmit={async () => void onFiles([await fromBucket(location, key, secret)])}
    >
      <TextField autoFocus label="Bucket and prefix" value={location} most={1200} onChange={setLocation} />
      <TextField label="Key; empty: that of the settings" value={key} most={200} onChange={setKey} />
      <TextField
        label="Secret; used once and kept nowhere"
        value={secret}
        most={200}
        secret
        onChange={setSecret}
      />
    </SheetForm>
  );
}

export function ProjectSheet({ model, onClose, onFiles }: Props & { model: Model }) {
  const [sift, setSift] = useState("");
  const { say } = useNotices();
  return (
    <SheetForm
      title="Pictures of this project"
      action="Try them"
      ready
      onClose={onClose}
      onSubmit={async () => {
        const { picked, words } = await fromProject(model, sift);
        if (words) say(words);
        if (picked.length) void onFiles(picked);
        else if (!words) say("The Sift lets no picture through.");
      }}
    >
      <TextField
        autoFocus
        label="Sift, as in Rows; empty: all, up to 200"
        value={sift}
        most={2000}
        onChange={setSift}
      />
      <p className="text-sm text-quiet">
        Each is held against its label. Pictures of the model's test set are left out.
      </p>
    </SheetForm>
  );
}
