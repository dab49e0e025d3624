#!/usr/bin/env python3
"""A program, and a hub, of the Simple Application Messaging Protocol in another language, written from the text of the IVOA
Recommendation SAMP 1.3 (sections 3 and 4) with the XML-RPC of Python's own library. The tests hold ours against it.

other_program.py program LOCKFILE   acts line by line as standard input says, and tells line by line what it met
other_program.py hub LOCKFILE       is a hub until standard input ends
"""
import json
import os
import queue
import secrets
import sys
import threading
import xmlrpc.client
from socketserver import ThreadingMixIn
from xmlrpc.server import SimpleXMLRPCServer

TELLING = threading.Lock()


def tell(**what):
    with TELLING:
        sys.stdout.write(json.dumps(what) + "\n")
        sys.stdout.flush()


class Server(ThreadingMixIn, SimpleXMLRPCServer):
    daemon_threads = True


def server(instance_of):
    made = Server(("127.0.0.1", 0), logRequests=False, allow_none=False)
    for name, function in instance_of.items():
        made.register_function(function, name)
    threading.Thread(target=made.serve_forever, daemon=True).start()
    return made, "http://127.0.0.1:%d" % made.server_address[1]


def read_lock(path):
    found = {}
    with open(path) as lines:
        for line in lines:
            if not line.startswith("#") and "=" in line:
                key, value = line.rstrip("\n").split("=", 1)
                found[key] = value
    return found


class Program:
    def __init__(self, lock):
        found = read_lock(lock)
        self.url = found["samp.hub.xmlrpc.url"]
        self.hub = self.hub_of_thread()
        registered = self.hub.samp.hub.register(found["samp.secret"])
        self.key = registered["samp.private-key"]
        self.id = registered["samp.self-id"]
        _, url = server({"samp.client.receiveNotification": self.notified,
                         "samp.client.receiveCall": self.called,
                         "samp.client.receiveResponse": self.answered})
        self.hub.samp.hub.setXmlrpcCallback(self.key, url)
        self.hub.samp.hub.declareMetadata(self.key, {"samp.name": "Other", "samp.description.text": "of the tests"})
        self.hub.samp.hub.declareSubscriptions(self.key, {"*": {}})
        tell(event="ready", id=self.id, hub=registered["samp.hub-id"])

    def notified(self, key, sender, message):
        assert key == self.key
        tell(event="notified", sender=sender, message=message)
        return ""

    def called(self, key, sender, message_id, message):
        assert key == self.key
        tell(event="called", sender=sender, message=message)

        def reply():
            self.hub_of_thread().samp.hub.reply(
                self.key, message_id,
                {"samp.status": "samp.ok", "samp.result": {"echo": message["samp.mtype"]}})
        threading.Thread(target=reply).start()
        return ""

    def hub_of_thread(self):
        """A connection is one thread's alone."""
        return xmlrpc.client.ServerProxy(self.url)

    def answered(self, key, responder, tag, response):
        assert key == self.key
        tell(event="answered", responder=responder, tag=tag, response=response)
        return ""

    def act(self, words):
        name = words["do"]
        arguments = words.get("with", [])
        try:
            result = getattr(self.hub.samp.hub, name)(self.key, *arguments)
            tell(event="done", do=name, result=result)
        except xmlrpc.client.Fault as fault:
            tell(event="fault", do=name, words=fault.faultString)


class Hub:
    """The services of section 3, one lock for all of them."""

    def __init__(self, lock):
        self.guard = threading.RLock()
        self.members = {}
        self.waiting = {}
        self.count = 0
        self.secret = secrets.token_hex(8)
        names = ["ping", "register", "unregister", "setXmlrpcCallback", "declareMetadata", "getMetadata",
                 "declareSubscriptions", "getSubscriptions", "getRegisteredClients", "getSubscribedClients",
                 "notify", "notifyAll", "call", "callAll", "callAndWait", "reply"]
        _, url = server({"samp.hub." + name: getattr(self, name) for name in names})
        handle = os.open(lock, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
        os.write(handle, ("samp.secret=%s\nsamp.hub.xmlrpc.url=%s\nsamp.profile.version=1.3\n" % (self.secret, url)).encode())
        os.close(handle)
        tell(event="ready")

    def of(self, key):
        for member in self.members.values():
            if member["key"] == key:
                return member
        raise ValueError("no such key")

    def client(self, member):
        return xmlrpc.client.ServerProxy(member["callback"])

    @staticmethod
    def wants(member, mtype):
        for one in member["subscriptions"]:
            if one == "*" or one == mtype or (one.endswith(".*") and mtype.startswith(one[:-1])):
                return True
        return False

    def ping(self):
        return ""

    def register(self, secret):
        if secret != self.secret:
            raise ValueError("wrong secret")
        with self.guard:
            self.count += 1
            member = {"id": "p%d" % self.count, "key": secrets.token_hex(8), "callback": "", "metadata": {}, "subscriptions": {}}
            self.members[member["id"]] = member
        return {"samp.hub-id": "hub", "samp.self-id": member["id"], "samp.private-key": member["key"]}

    def unregister(self, key):
        with self.guard:
            gone = self.of(key)
            del self.members[gone["id"]]
        tell(event="unregistered", id=gone["id"])
        return ""

    def setXmlrpcCallback(self, key, url):
        self.of(key)["callback"] = url
        return ""

    def declareMetadata(self, key, metadata):
        self.of(key)["metadata"] = metadata
        return ""

    def getMetadata(self, key, member):
        self.of(key)
        return self.members[member]["metadata"]

    def declareSubscriptions(self, key, subscriptions):
        self.of(key)["subscriptions"] = subscriptions
        return ""

    def getSubscriptions(self, key, member):
        self.of(key)
        return self.members[member]["subscriptions"]

    def getRegisteredClients(self, key):
        own = self.of(key)["id"]
        return ["hub"] + [m for m in self.members if m != own]

    def getSubscribedClients(self, key, mtype):
        own = self.of(key)["id"]
        return {m["id"]: {} for m in self.members.values() if m["id"] != own and self.wants(m, mtype)}

    def notify(self, key, to, message):
        own = self.of(key)["id"]
        member = self.members[to]
        self.client(member).samp.client.receiveNotification(member["key"], own, message)
        return ""

    def notifyAll(self, key, message):
        own = self.of(key)["id"]
        told = [m for m in list(self.members.values()) if m["id"] != own and self.wants(m, message["samp.mtype"])]
        for member in told:
            self.client(member).samp.client.receiveNotification(member["key"], own, message)
        return [m["id"] for m in told]

    def call(self, key, to, tag, message):
        own = self.of(key)["id"]
        with self.guard:
            self.count += 1
            message_id = "x%d" % self.count
            self.waiting[message_id] = (own, tag, None)
        member = self.members[to]
        self.client(member).samp.client.receiveCall(member["key"], own, message_id, message)
        return message_id

    def callAll(self, key, tag, message):
        own = self.of(key)["id"]
        return {m["id"]: self.call(key, m["id"], tag, message) for m in list(self.members.values())
                if m["id"] != own and self.wants(m, message["samp.mtype"])}

    def callAndWait(self, key, to, message, timeout):
        own = self.of(key)["id"]
        got = queue.Queue()
        with self.guard:
            self.count += 1
            message_id = "x%d" % self.count
            self.waiting[message_id] = (own, None, got)
        member = self.members[to]
        self.client(member).samp.client.receiveCall(member["key"], own, message_id, message)
        return got.get(timeout=float(timeout))

    def reply(self, key, message_id, response):
        own = self.of(key)["id"]
        caller, tag, got = self.waiting.pop(message_id)
        if got is not None:
            got.put(response)
        else:
            member = self.members[caller]
            self.client(member).samp.client.receiveResponse(member["key"], own, tag, response)
        return ""


def main():
    what, lock = sys.argv[1:3]
    if what == "hub":
        Hub(lock)
        sys.stdin.read()
        return
    program = Program(lock)
    for line in sys.stdin:
        program.act(json.loads(line))


main()
