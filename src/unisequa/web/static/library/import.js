// What a file would become, looked at anew with every choice.
import { watchBrought } from "../brought.js";
import { byId } from "../dom.js";

const form = byId("decide");
if (byId("brought")) {
  const look = async (/** @type {any} */ of) => {
    const body = new FormData(of);
    body.set("act", "look");
    const answer = await fetch(of.action, { method: "POST", body, headers: { "hx-request": "true" } });
    return answer.ok || answer.status === 422 ? answer.text() : null;
  };
  watchBrought(form, look, (fresh) => {
    for (const id of ["make", "look-again"]) {
      const wanted = fresh.getElementById(id);
      if (wanted) byId(id).replaceWith(wanted);
    }
  });
}
