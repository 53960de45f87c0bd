import { type FormEvent, useState } from "react";
import { useNavigate } from "react-router";
import { ProblemAlert } from "../../ui/ProblemAlert";
import { useMakeProject } from "./administration";

/** Makes an empty project and goes there. */
export function NewProject({ isFocused = false, onMade }: { isFocused?: boolean; onMade?: () => void }) {
  const make = useMakeProject();
  const navigate = useNavigate();
  const [name, setName] = useState("");
  const add = (event: FormEvent) => {
    event.preventDefault();
    make.mutate(
      { name: name.trim() },
      {
        onSuccess: (made) => {
          setName("");
          onMade?.();
          void navigate(`/p/${made.name}`);
        },
      },
    );
  };
  return (
    <form onSubmit={add}>
      <div className="flex flex-wrap gap-2">
        <input
          className="input input-sm w-60"
          aria-label="Name of a new project"
          placeholder="small letters, digits and -"
          maxLength={63}
          value={name}
          onChange={(e) => setName(e.target.value)}
          autoFocus={isFocused}
        />
        <button className="btn btn-sm" disabled={!name.trim() || make.isPending}>
          New project
        </button>
      </div>
      <ProblemAlert error={make.error} />
    </form>
  );
}
