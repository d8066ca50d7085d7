"""An independent client of AMQP 1.0: publishes, takes, settles each way, lets a lease lapse, keeps to its credit.

Says what it saw as JSON, a line for each step. Asked as: independent.py ADDRESS USER PASSWORD
"""
import json
import sys
import time

from proton import Delivery, Message
from proton.utils import BlockingConnection

ADDRESS, USER, PASSWORD = sys.argv[1:4]


def say(step, **what):
    print(json.dumps({"step": step, **what}), flush=True)


def seen(message):
    return {
        "body": message.body,
        "subject": message.subject,
        "tries": message.delivery_count,
        "durable": message.durable,
        "properties": dict(message.properties or {}),
    }


connection = BlockingConnection(ADDRESS, user=USER, password=PASSWORD, allowed_mechs="PLAIN", allow_insecure_mechs=True)
sender = connection.create_sender("notices")


def send(number):
    sender.send(
        Message(
            id=f"m{number}",
            subject="closure.north",
            durable=True,
            properties={"severity": number, "why": "gale ☂", "long": 2**40, "half": 0.5, "yes": True},
            body={"list": [1, "zwei", None], "number": number},
        )
    )


send(0)
send(1)
say("sent")

receiver = connection.create_receiver("texting-in", credit=1)
first = receiver.receive(timeout=10)
say("taken", **seen(first))
receiver.release(delivered=False)
second = receiver.receive(timeout=10)
say("released", **seen(second))
receiver.fetcher.unsettled[-1].local.failed = True
receiver.settle(Delivery.MODIFIED)
third = receiver.receive(timeout=10)
say("again", **seen(third))
receiver.accept()
send(2)
fourth = receiver.receive(timeout=10)
say("next", **seen(fourth))
receiver.reject()
receiver.close()

parked = connection.create_receiver("parked", credit=1)
dead = parked.receive(timeout=10)
say("dead", **seen(dead), annotations={str(k): v for k, v in (dead.annotations or {}).items()})
parked.accept()
parked.close()

# a lease lapses: what was taken is offered again, though this client never let go of it
slow = connection.create_sender("slow")
slow.send(Message(body="lease"))
holding = connection.create_receiver("slow", credit=1)
held = holding.receive(timeout=10)
again = holding.receive(timeout=10)
say("lapsed", first=held.delivery_count, second=again.delivery_count)
holding.close()

try:
    connection.create_sender("forbidden")
    say("forbidden", refused=False)
except Exception as error:  # what a client says of a refusal is its own
    say("forbidden", refused=True, why=str(error))
connection.close()
