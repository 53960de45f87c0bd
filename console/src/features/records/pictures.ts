/** Where the picture is whose address a field of a record holds: Rondine fetches it, within what is permitted. */
export function pictureSource(project: string, environment: string, type: string, key: unknown[], field: string) {
  const way = key.map((part) => encodeURIComponent(String(part))).join("/");
  const query = new URLSearchParams({ field }).toString();
  return `/api/v1/projects/${project}/environments/${environment}/record-pictures/${type}/${way}?${query}`;
}
