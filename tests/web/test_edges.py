"""The server at its edges: tokens in a browser's way, sizes as they come, two servers, folders that cannot be used. Real processes, real sockets."""

from __future__ import annotations

import http.client
import json
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path
from typing import Any

from hailridge.core.looking.advisories import advise
from hailridge.model.validation import read_effect
from tests.support import calls, document, rule
from tests.web.cases import ApiCase

PAGE = {"accept": "text/html,*/*"}


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


class Serving(unittest.TestCase):
    """Servers started as their users start them."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def command(self, *options: str, data: Path | None = None) -> list[str]:
        return [sys.executable, "-m", "hailridge.cli", "serve", "--data", str(data or self.folder / "data"), *options]

    def started(self, *options: str, port: int | None = None, data: Path | None = None) -> tuple[subprocess.Popen[str], int]:
        port = port or free_port()
        server = subprocess.Popen(self.command("--port", str(port), *options, data=data), stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True)

        def end() -> None:
            server.kill()
            server.wait()
            assert server.stderr is not None
            server.stderr.close()

        self.addCleanup(end)
        until = time.monotonic() + 60
        while time.monotonic() < until:
            try:
                socket.create_connection(("127.0.0.1", port), 1).close()
                # It listens early; it answers when it is ready.
                self.ask(port, "GET", "/api/effects")
                return server, port
            except OSError:
                self.assertIsNone(server.poll(), "the server ended")
                time.sleep(0.02)
        raise AssertionError("the server did not start")

    def refused(self, *options: str, data: Path | None = None, code: int = 1) -> str:
        """The one line with which a server that cannot start says why, at once."""
        done = subprocess.run(self.command(*options, data=data), capture_output=True, text=True, timeout=120)
        self.assertEqual((done.returncode, len(done.stderr.strip().splitlines())), (code, 1), done.stderr)
        self.assertNotIn("Traceback", done.stderr)
        return done.stderr.strip()

    def ask(self, port: int, method: str, path: str, body: Any = None, headers: dict[str, str] | None = None) -> tuple[int, Any, Any]:
        connection = http.client.HTTPConnection("127.0.0.1", port, timeout=60)
        try:
            given = {"host": f"127.0.0.1:{port}", **(headers or {})}
            if isinstance(body, dict):
                body, given["content-type"] = json.dumps(body), "application/json"
            connection.request(method, path, body, given, encode_chunked=not isinstance(body, str | None))
            answer = connection.getresponse()
            return answer.status, answer.read(), answer.headers
        finally:
            connection.close()


class TwoServers(Serving):
    def test_a_second_one_harms_nothing(self) -> None:
        first, port = self.started("--demo")
        raw = document(rule({"kind": "turbulence"}), count=60_000, clock={"duration": 60.0})
        effect = json.loads(self.ask(port, "POST", "/api/effects", {"document": raw})[1])["id"]
        trial = json.loads(self.ask(port, "POST", f"/api/effects/{effect}/trials", {})[1])["id"]
        clip = json.loads(self.ask(port, "POST", "/api/clips", {"format": "still", "width": 16, "height": 16})[1])["id"]
        self.ask(port, "PUT", f"/api/clips/{clip}/frames/0", bytes(16 * 16 * 4), {"content-length": "1024"})
        self.ask(port, "POST", f"/api/clips/{clip}/finish")

        def computed() -> tuple[str, int]:
            told = json.loads(self.ask(port, "GET", f"/api/trials/{trial}")[1])
            return told["state"], told["computed"]

        while computed()[1] == 0:
            time.sleep(0.02)
        self.assertRegex(self.refused("--port", str(port)), f"port {port} is taken")
        self.assertRegex(self.refused("--port", str(free_port()), "--demo"), f"served by another Hailridge already .process {first.pid}, at http://127.0.0.1:{port}")
        state, before = computed()
        self.assertEqual(state, "computing")
        until = time.monotonic() + 20
        while computed()[1] <= before and time.monotonic() < until:
            time.sleep(0.02)
        self.assertGreater(computed()[1], before)
        self.assertEqual(self.ask(port, "GET", f"/api/clips/{clip}/file")[1][:4], b"\x89PNG")
        # A killed server leaves nothing that keeps the next one out.
        first.kill()
        first.wait()
        _second, again = self.started()
        self.assertEqual(self.ask(again, "GET", f"/api/effects/{effect}")[0], 200)


class Starting(Serving):
    def test_what_is_in_the_way_is_told_in_one_line(self) -> None:
        self.assertIn("there is no port 99999", self.refused("--port", "99999", code=2))
        self.assertIn("no address of this machine", self.refused("--host", "nowhere.invalid", "--token", "x"))
        file = self.folder / "file"
        file.write_text("words")
        self.assertRegex(self.refused(data=file), "data folder .* cannot be made")
        for name, damage, words in (
            ("damaged", b"no database at all, only words " * 400, "is damaged"),
            ("cut", None, "is damaged|cannot be"),
        ):
            data = self.folder / name
            data.mkdir()
            (data / "hailridge.sqlite").write_bytes(damage or b"SQLite format 3\0" + bytes(300))
            self.assertRegex(self.refused("--port", "0", data=data), words)
        data = self.folder / "demos"
        data.mkdir()
        for damage in (b"[1, 2", b"\xff\xfe", b'{"a": 1}'):
            (data / "demos.json").write_bytes(damage)
            self.assertIn("demos.json is damaged", self.refused("--demo", "--port", "0", data=data))

    def test_a_folder_that_vanishes(self) -> None:
        _server, port = self.started()
        made = json.loads(self.ask(port, "POST", "/api/effects", {})[1])
        address, body = f"/api/effects/{made['id']}", {"revision": 1, "document": made["document"] | {"name": "mine"}}
        shutil.rmtree(self.folder / "data")
        for _ in range(2):
            status, told, _headers = self.ask(port, "PUT", address, body)
            self.assertEqual(status, 503, told)
            self.assertIn("no longer there", told.decode())
            # Nothing is made anew in its place, where it would be taken for the library.
            self.assertEqual(self.ask(port, "POST", "/api/clips", {"format": "still", "width": 16, "height": 16})[0], 503)
            self.assertFalse((self.folder / "data").exists())

    def test_it_ends_when_told_to(self) -> None:
        for after in (0.0, 1.5, None):
            server = subprocess.Popen(self.command("--port", "0"), stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
            assert server.stdout is not None
            # At once after its first line, while it begins, and when it serves.
            server.stdout.readline()
            time.sleep(5 if after is None else after)
            server.send_signal(signal.SIGINT)
            _out, told = server.communicate(timeout=120)
            self.assertIn(server.returncode, (0, 130), after)
            self.assertEqual(told, "", after)


class Tokens(Serving):
    def test_a_browser_comes_in_by_the_printed_address(self) -> None:
        _server, port = self.started("--host", "0.0.0.0", "--token", "winter coat")
        self.assertEqual(self.ask(port, "GET", "/", headers=PAGE)[0], 403)
        self.assertIn(b"a token is needed", self.ask(port, "GET", "/", headers=PAGE)[1].lower())
        status, page, headers = self.ask(port, "GET", "/effects/abc?token=winter+coat&frame=3", headers=PAGE)
        self.assertEqual(status, 200)
        # The address without the token is where the page goes on to.
        self.assertIn(b"url=/effects/abc?frame=3", page)
        self.assertNotIn(b"winter", page)
        cookie = headers["set-cookie"]
        for part in ("HttpOnly", "SameSite=strict", "Path=/"):
            self.assertIn(part.lower(), cookie.lower())
        given = {**PAGE, "cookie": cookie.split(";")[0]}
        status, page, _headers = self.ask(port, "GET", "/", headers=given)
        self.assertEqual(status, 200)
        for reference in set(part.split(b'"')[0].decode() for part in page.split(b'"/assets/')[1:]):
            self.assertEqual(self.ask(port, "GET", f"/assets/{reference}", headers=given)[0], 200, reference)
            self.assertEqual(self.ask(port, "GET", f"/assets/{reference}")[0], 403, reference)
        self.assertEqual(self.ask(port, "GET", "/api/effects", headers=given)[0], 200)
        self.assertEqual(self.ask(port, "GET", "/api/effects", headers={"cookie": f"hailridge_token_{port}=summer"})[0], 403)

    def test_names_of_this_machine_are_let_in(self) -> None:
        name = socket.gethostname()
        _server, port = self.started("--host", "0.0.0.0", "--token", "t", "--allow-host", "Ridge.example")
        bearer = {"authorization": "Bearer t"}
        for host, wanted in ((name, 200), ("127.0.0.1", 200), ("localhost", 200), ("ridge.example", 200), ("evil.example", 403), ("10.9.8.7", 403)):
            self.assertEqual(self.ask(port, "GET", "/api/effects", headers={**bearer, "host": f"{host}:{port}"})[0], wanted, host)
        addresses = {entry[4][0] for entry in socket.getaddrinfo(name, port, socket.AF_INET)}
        for address in addresses:
            connection = http.client.HTTPConnection(str(address), port, timeout=20)
            connection.request("GET", "/api/effects", headers=bearer)
            self.assertEqual(connection.getresponse().status, 200, address)
            connection.close()

    def test_listening_here_lets_nobody_else_in(self) -> None:
        _server, port = self.started()
        self.assertEqual(self.ask(port, "GET", "/api/effects", headers={"host": f"{socket.gethostname()}:{port}"})[0], 403)


class Sizes(Serving):
    def test_what_comes_in_chunks_is_counted(self) -> None:
        server, port = self.started()

        def chunks(megabytes: int) -> Any:
            sent.clear()
            yield b'--b\r\nContent-Disposition: form-data; name="file"; filename="x.obj"\r\n\r\n'
            for _ in range(megabytes):
                sent.append(1)
                yield b"x" * 1_000_000

        sent: list[int] = []
        for path, limit in (("/api/effects", 8), ("/api/assets", 72)):
            headers = {"transfer-encoding": "chunked", "content-type": "application/json" if limit == 8 else "multipart/form-data; boundary=b"}
            try:
                status = self.ask(port, "POST", path, chunks(400), headers)[0]
                self.assertEqual(status, 413)
            except (BrokenPipeError, ConnectionResetError):
                pass  # it did not even read to the end
            self.assertLess(len(sent), 300)
        status, told, _headers = self.ask(port, "POST", "/api/effects", "x", {"content-length": str(500_000_000)})
        self.assertEqual((status, b"larger than" in told), (413, True))
        self.assertEqual(self.ask(port, "GET", "/api/effects")[0], 200)
        self.assertIsNone(server.poll())


class Checking(ApiCase):
    def test_each_level_of_nesting_costs_the_same(self) -> None:
        """Each used to double the work: fourteen took 16 s. Counted in calls; the yardstick is the same document without nesting."""

        def keyed(low: float, high: float) -> dict[str, Any]:
            return {"keys": [{"at": 0.0, "value": low}, {"at": 1.0, "value": high}]}

        def nested(depth: int) -> dict[str, Any]:
            inner = {"kind": "neighbours", "distance": nested(depth - 1)} if depth else {"kind": "age"}
            return {"kind": "mapped", "quantity": inner, "start": keyed(0, 1), "end": keyed(2, 3), "low": keyed(0.1, 0.2), "high": keyed(0.3, 0.4)}

        def condition(depth: int) -> dict[str, Any]:
            return {"kind": "compare", "quantity": {"kind": "neighbours", "distance": nested(depth)}, "comparison": "above", "threshold": 1.0}

        def work(*depths: int) -> int:
            raw = document(*[rule({"kind": "gravity"}, id=f"r{number}", condition=condition(depth)) for number, depth in enumerate(depths)])
            self.assertEqual(self.client.post("/api/effects/check", json=raw).status_code, 200)
            return calls(lambda: advise(read_effect(raw)))

        work(1)
        self.assertLess(work(12), work(*[0] * 13) * 4)

    def test_documents_are_bounded(self) -> None:
        def bushy(depth: int) -> dict[str, Any]:
            leaf = {"kind": "compare", "quantity": {"kind": "age"}, "comparison": "above", "threshold": 1.0}
            return {"kind": "all", "conditions": [bushy(depth - 1), bushy(depth - 1)]} if depth else leaf

        answer = self.client.post("/api/effects/check", json=document(rule({"kind": "gravity"}, condition=bushy(13))))
        self.assertEqual((answer.status_code, "parts; an effect may have" in answer.text), (422, True))

    def test_what_is_no_text_and_no_number(self) -> None:
        for raw, words in (
            (document() | {"name": "\ud800"}, "cannot be seen"),
            (document(source={"shape": "po\udfffint"}), "cannot be seen"),
            (document(clock={"seed": 10**400}), "too large to be meant"),
            (document() | {"picture": {"background": [0.1, 0.2]}}, "background"),
        ):
            answer = self.client.post("/api/effects/check", content=json.dumps(raw), headers={"content-type": "application/json"})
            self.assertEqual(answer.status_code, 422)
            self.assertIn(words, answer.text)
        effect = self.made(document())
        named = self.client.put(f"/api/effects/{effect}/versions/1", content='{"name": "\\ud800"}', headers={"content-type": "application/json"})
        self.assertEqual(named.status_code, 422)
        self.assertEqual(self.client.get(f"/api/effects/{effect}/versions/{10**30}").status_code, 422)


if __name__ == "__main__":
    unittest.main()
