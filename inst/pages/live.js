// The conversation of a page with its server: messages of a kind, both ways, over a WebSocket.
// `heard` has a function for each kind that the server sends.
pages.talk = function (heard, lost) {
  "use strict";
  const socket = new WebSocket(new URL("live", location.href).href.replace(/^http/, "ws"));
  socket.addEventListener("message", (event) => {
    const { kind, said } = JSON.parse(event.data);
    if (heard[kind]) heard[kind](said);
  });
  socket.addEventListener("open", () => {
    document.documentElement.dataset.live = "yes";
  });
  socket.addEventListener("close", () => {
    delete document.documentElement.dataset.live;
    lost();
  });
  return (kind, said) => {
    if (socket.readyState === WebSocket.OPEN) socket.send(JSON.stringify({ kind, said }));
    else lost();
  };
};
