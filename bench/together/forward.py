"""Passes TCP connections on: forward.py ADDRESS PORT TO_ADDRESS TO_PORT."""
import socket
import sys
import threading


def pump(source, sink):
    try:
        while data := source.recv(65536):
            sink.sendall(data)
    except OSError:
        pass
    for end in (source, sink):
        try:
            end.shutdown(socket.SHUT_RDWR)
        except OSError:
            pass


def main():
    listening = socket.create_server((sys.argv[1], int(sys.argv[2])), backlog=64)
    while True:
        client, _ = listening.accept()
        try:
            server = socket.create_connection((sys.argv[3], int(sys.argv[4])))
        except OSError:
            client.close()
            continue
        for ends in ((client, server), (server, client)):
            threading.Thread(target=pump, args=ends, daemon=True).start()


main()
