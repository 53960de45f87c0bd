import { Tag } from "../../ui/parts";
import type { Service } from "./services";

/** Whether a connection can be used: by its settings and its last check. */
export function ConnectionTag({ connection }: { connection: Service["connections"][number] }) {
  if (!connection.is_enabled) return <Tag tone="bad">disabled</Tag>;
  if (!connection.is_ready) return <Tag tone="bad">not ready</Tag>;
  if (/\/stand-ins\/[0-9a-f]{32}-/.test(connection.base_address)) return <Tag tone="busy">goes to a stand-in</Tag>;
  if (connection.works === null) return <Tag>not checked</Tag>;
  return connection.works ? <Tag tone="good">works</Tag> : <Tag tone="bad">does not work</Tag>;
}
