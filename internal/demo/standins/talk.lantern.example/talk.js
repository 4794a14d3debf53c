// A stand-in for a chat: it comes late, and where no room is kept for it, it pushes the page down.
setTimeout(function () {
  var chat = document.createElement("section");
  chat.className = "chat";
  chat.style.minHeight = "26rem";
  chat.innerHTML = "<h2>Ask us now</h2><p>A stand-in: nobody answers.</p>";
  var room = document.getElementById("chat-room");
  if (room) room.replaceChildren(chat);
  else document.querySelector("main").prepend(chat);
}, 600);
