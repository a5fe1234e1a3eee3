/** Whether the path of an error names a part of a document, or something inside it. */
export const isAt = (path: string, part: string) =>
  path === part || path.startsWith(part + ".") || path.startsWith(part + "[");
