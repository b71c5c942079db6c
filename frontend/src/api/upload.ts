import { Refusal, type Data } from "./client";

/** Sends a file as it is, reporting the share that is sent; XMLHttpRequest, since fetch reports no upload progress.
 *  Under the token the server tells how far it is with reading. */
export function upload(
  file: File,
  token: string,
  onShare: (share: number) => void,
): { done: Promise<Data>; abort: () => void } {
  const request = new XMLHttpRequest();
  const done = new Promise<Data>((resolve, reject) => {
    request.open("POST", `/api/v1/data?name=${encodeURIComponent(file.name)}&token=${token}`);
    request.setRequestHeader("Content-Type", "application/octet-stream");
    request.upload.onprogress = (event) => onShare(event.loaded / Math.max(event.total, 1));
    request.onerror = () => reject(new Refusal("The file could not be sent. Is Pellux still running?", "data", 0));
    request.onabort = () => reject(new Refusal("The import was stopped.", "data", 0));
    request.onload = () => {
      try {
        const answer = JSON.parse(request.responseText) as Data & { detail?: string; field?: string };
        if (request.status < 400) resolve(answer);
        else reject(new Refusal(answer.detail ?? "The file was refused.", answer.field ?? "data", request.status));
      } catch {
        reject(new Refusal(`The server answered ${request.status}.`, "data", request.status));
      }
    };
    request.send(file);
  });
  return { done, abort: () => request.abort() };
}
