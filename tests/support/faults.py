#!/usr/bin/env python3
# SPDX-License-Identifier: Apache-2.0
"""Stands before an object store and spoils some answers. faults.py PORT TARGET-PORT PLAN

Each line of the file PLAN is VERB PART KIND COUNT: so many of the requests of that verb whose path holds PART are spoilt:

    busy      503, and nothing is passed on          cut      half of the answer, then the connection breaks
    deaf      the request is passed on, and its answer is lost
    other     the same number of other bytes         expired  403: the credentials have expired
    skewed    403: the clocks differ too much        slow     the answer comes in drops
    stuck     half of the answer, then nothing
"""
import http.client
import http.server
import sys
import threading
import time

PORT, TARGET, PLAN = int(sys.argv[1]), int(sys.argv[2]), sys.argv[3]
lock = threading.Lock()


def choose(verb, path):
    """The fault of this request, which is then used up; None: there is none"""
    with lock:
        lines = [line.split() for line in open(PLAN)]
        for line in lines:
            if line[0] == verb and line[1] in path and int(line[3]) > 0:
                line[3] = str(int(line[3]) - 1)
                with open(PLAN, "w") as file:
                    file.writelines(" ".join(words) + "\n" for words in lines)
                return line[2]
    return None


class Handler(http.server.BaseHTTPRequestHandler):
    protocol_version = "HTTP/1.1"

    def log_message(self, *arguments):
        pass

    def refuse(self, status, code, date=None):
        body = f"<?xml version='1.0'?><Error><Code>{code}</Code><Message>spoilt</Message></Error>".encode()
        self.send_response_only(status)
        self.send_header("Date", date or self.date_time_string())
        self.send_header("Content-Length", str(len(body)))
        self.end_headers()
        self.wfile.write(body)

    def pass_on(self):
        length = int(self.headers.get("Content-Length", 0))
        sent = self.rfile.read(length)
        fault = choose(self.command, self.path)
        if fault == "busy":
            return self.refuse(503, "SlowDown")
        if fault == "expired":
            return self.refuse(403, "ExpiredToken")
        if fault == "skewed":
            return self.refuse(403, "RequestTimeTooSkewed")
        target = http.client.HTTPConnection("127.0.0.1", TARGET)
        target.request(self.command, self.path, sent, dict(self.headers))
        answer = target.getresponse()
        body = answer.read()
        if fault == "deaf":
            self.close_connection = True
            return self.connection.close()
        if fault == "other":
            body = bytes([byte ^ 1 for byte in body])
        self.send_response_only(answer.status)
        for name, value in answer.getheaders():
            if name.lower() not in ("transfer-encoding", "connection", "content-length"):
                self.send_header(name, value)
        self.send_header("Content-Length", answer.getheader("Content-Length") if self.command == "HEAD" else str(len(body)))
        self.end_headers()
        if fault == "cut":
            self.wfile.write(body[:len(body) // 2])
            self.close_connection = True
            return self.connection.close()
        if fault == "stuck":
            self.wfile.write(body[:len(body) // 2])
            self.wfile.flush()
            return time.sleep(50)
        if fault == "slow":
            for at in range(0, len(body), max(len(body) // 20, 1)):
                self.wfile.write(body[at:at + max(len(body) // 20, 1)])
                time.sleep(0.05)
            return None
        if self.command != "HEAD":
            self.wfile.write(body)

    do_GET = do_PUT = do_POST = do_DELETE = do_HEAD = pass_on


class Server(http.server.ThreadingHTTPServer):
    daemon_threads = True

    def handle_error(self, request, client_address):
        pass


Server(("127.0.0.1", PORT), Handler).serve_forever()
