"""Another program takes the port that ours has left: a page gives it nothing, and goes on with ours
once that is back."""

import http.client
import http.server
import threading
from urllib.parse import urlsplit

from handling import SLOW, leaf, step
from playwright.sync_api import expect

from waiting import wait_until


class Stranger:
    """A program that answers everything kindly, and keeps what it was sent."""

    def __init__(self, port):
        self.asked = asked = []

        class Handler(http.server.BaseHTTPRequestHandler):
            def answer(self):
                length = int(self.headers.get("Content-Length") or 0)
                body = self.rfile.read(length)
                asked.append((self.command, self.path, dict(self.headers), body))
                self.send_response(200)
                self.send_header("Content-Type", "application/json")
                self.end_headers()
                self.wfile.write(b'{"nonce": "x", "proof": "y", "key": "z", "revision": 1}')

            def __getattr__(self, name):
                # Every method alike.
                if name.startswith("do_"):
                    return self.answer
                raise AttributeError(name)

            def log_message(self, *_):
                pass

        http.server.ThreadingHTTPServer.allow_reuse_address = True
        self._server = http.server.ThreadingHTTPServer(("127.0.0.1", port), Handler)
        threading.Thread(target=self._server.serve_forever, daemon=True).start()

    def end(self):
        self._server.shutdown()
        self._server.server_close()


def state_for(address, headers):
    connection = http.client.HTTPConnection(urlsplit(address).netloc, timeout=300)
    connection.request("GET", "/api/state", headers=headers)
    status = connection.getresponse().status
    connection.close()
    return status


def test_whoever_takes_the_port_is_sent_a_nonce_and_no_more(browse, start_again):
    address = start_again()
    port = urlsplit(address).port
    page = browse(address)
    step(page, "Rig")
    leaf(page, "Room and placement")
    start_again.kill()
    stranger = Stranger(port)
    expect(page.get_by_text("No connection to the program")).to_be_visible(timeout=SLOW)
    # The page asks again and again, and a person types meanwhile.
    wait_until(lambda: len(stranger.asked) >= 2)
    page.get_by_label("Mouth to microphone, cm").fill("31")
    page.get_by_label("Mouth to microphone, cm").blur()
    expect(page.get_by_text("Another program answers at this address")).to_be_visible()
    before = len(stranger.asked)
    wait_until(lambda: len(stranger.asked) > before)
    stranger.end()
    held = []
    for method, path, headers, body in stranger.asked:
        assert (method, body) == ("GET", b"")
        assert path.startswith("/api/session?nonce=")
        assert "Authorization" not in headers
        held += [headers["Cookie"]] if "Cookie" in headers else []
    assert held == []
    # Nothing that a browser would hand out by itself lets anybody in either.
    left = browse.context.cookies(address)
    address = start_again()
    for cookie in left:
        assert state_for(address, {"Cookie": f"{cookie['name']}={cookie['value']}"}) == 401
        assert state_for(address, {"Authorization": f"Bearer {cookie['value']}"}) == 401
    expect(page.get_by_text("No connection to the program")).to_be_hidden(timeout=SLOW)
    page.get_by_label("Mouth to microphone, cm").fill("33")
    with page.expect_response("**/api/rig"):
        page.get_by_label("Mouth to microphone, cm").blur()
    expect(page.get_by_label("Mouth to microphone, cm")).to_have_value("33")
