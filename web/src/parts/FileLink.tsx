/** A file that somebody sent: opened by the browser where it can show it, and saved as it was kept. */

export function FileLink({ path, address }: { path: string; address: string }) {
  const name = path.split("/").at(-1);
  return (
    <span style={{ overflowWrap: "anywhere" }}>
      <a href={address} target="_blank" rel="noreferrer">
        {path}
      </a>{" "}
      <a href={address} download={name} aria-label={`Save ${path}`}>
        save
      </a>
    </span>
  );
}
