import Alert from "@mui/material/Alert";

interface Props {
  name: string;
  secret: string;
  onClose: () => void;
}

/** What signs the notices of a subscription, shown this once. */
export function SecretAlert({ name, secret, onClose }: Props) {
  return (
    <Alert severity="success" onClose={onClose} sx={{ mb: 2 }}>
      The secret that signs what {name} is sent. Copy it now, it is shown this once:{" "}
      <code style={{ overflowWrap: "anywhere" }}>{secret}</code>
    </Alert>
  );
}
