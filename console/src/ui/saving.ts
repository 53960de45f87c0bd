/** Saves a JSON document to a file of the browser's. */
export function saveJson(name: string, value: unknown) {
  const address = URL.createObjectURL(new Blob([JSON.stringify(value, null, 2)], { type: "application/json" }));
  Object.assign(document.createElement("a"), { href: address, download: name }).click();
  URL.revokeObjectURL(address);
}
