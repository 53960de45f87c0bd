/** Where an item, record or run is shown, below the project; null for kinds without a page of their own. */
export function placeOf(one: { kind: string; name: string; record_type?: string; key?: string }): string | null {
  switch (one.kind) {
    case "services":
    case "connections":
    case "operations":
    case "definitions":
    case "feeds":
    case "flows":
    case "runs":
      return `${one.kind}/${one.name}`;
    case "record-types":
      return `records/${one.name}`;
    case "records":
      return `records/${one.record_type ?? ""}/${encodeURIComponent(one.key ?? "")}`;
    case "mappings":
      return "records";
    case "queries":
    case "applications":
    case "releases":
      return one.kind;
    case "webhooks":
    case "subscriptions":
      return "events";
    case "standing-values":
    case "credentials":
      return "environments";
    default:
      return null;
  }
}
