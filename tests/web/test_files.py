"""Files kept with tasks: added by whoever may write there, read by whoever sees the run, taken out by their maker."""

from __future__ import annotations

import hashlib

from tests.site import Site


def test_a_file_is_kept_with_a_task_and_seen_by_who_sees_the_run(site: Site) -> None:
    bela, cleo = site.client("Bela"), site.client("Cleo")
    content = b"three columns \x00 of names"
    path = f"/runs/{site.run}/tasks/draft/files"
    token = {"x-csrf-token": bela.token, "accept": "application/json"}
    for _ in range(2):  # the same file once more is the same file
        assert bela.client.post(path, files={"file": ("../list ä.txt", content)}, headers=token).json() == {
            "kept": True
        }
    empty = bela.client.post(path, files={"file": ("none.txt", b"")}, headers=token)
    assert empty.status_code == 422 and "is empty" in empty.json()["error"]["message"]
    panel = cleo.get(f"/runs/{site.run}/tasks/draft").text
    digest = hashlib.sha256(content).hexdigest()
    assert panel.count("list ä.txt</a>") == 1 and f"/files/{digest}" in panel
    found = cleo.get(f"/runs/{site.run}/files/{digest}")
    assert found.content == content and found.headers["content-type"] == "application/octet-stream"
    assert "attachment" in found.headers["content-disposition"]
    assert cleo.post(f"/runs/{site.run}/files/1/remove", headers={"accept": "application/json"}).status_code == 403
    assert "Take out list" not in panel and "Take out list" in bela.get(f"/runs/{site.run}/tasks/draft").text
    assert bela.post(f"/runs/{site.run}/files/1/remove", headers={"accept": "application/json"}).is_success
    assert cleo.get(f"/runs/{site.run}/files/{digest}").status_code == 404
