/* The page on the device under test: plain enough for old phones – no modules, no newer words. It shows, counts
   and sends; what is sound is said by the server. What could not be sent is kept here and sent later. */
(function () {
  "use strict";
  var page = document.getElementById("device");
  if (!page) return;
  var code = page.getAttribute("data-code");
  var csrf = page.getAttribute("data-csrf");
  var says = document.getElementById("says");
  var stage = document.getElementById("stage");
  var store = "sutura-" + code;
  var sending = false;

  function all(selector, within) {
    return Array.prototype.slice.call((within || document).querySelectorAll(selector));
  }
  function make(tag, text, within) {
    var made = document.createElement(tag);
    if (text) made.textContent = text;
    if (within) within.appendChild(made);
    return made;
  }
  function button(text, within, act) {
    var made = make("button", text, within);
    made.type = "button";
    made.addEventListener("click", function (event) {
      event.stopPropagation();
      act();
    });
    return made;
  }

  // -- sending: what is not there yet is kept, and tried again
  function waiting() {
    try {
      return JSON.parse(localStorage.getItem(store) || "[]");
    } catch (error) {
      return memory;
    }
  }
  var memory = [];
  function keep(list) {
    memory = list;
    try {
      localStorage.setItem(store, JSON.stringify(list));
    } catch (error) {
      // a browser that keeps nothing: it is kept while the page is open
    }
  }
  function tell(text) {
    says.textContent = text;
  }
  function key() {
    return Date.now().toString(36) + "-" + Math.random().toString(36).slice(2, 12);
  }
  function send(kind, said, mark) {
    var list = waiting();
    list.push({ kind: kind, key: key(), said: JSON.stringify(said), mark: mark });
    keep(list);
    flush();
  }
  function flush() {
    var list = waiting();
    if (!list.length || sending) return;
    sending = true;
    var first = list[0];
    tell("Sending …");
    var asked = new XMLHttpRequest();
    asked.open("POST", location.pathname);
    asked.timeout = 15000;
    asked.setRequestHeader("Content-Type", "application/x-www-form-urlencoded");
    asked.onload = function () {
      sending = false;
      if (asked.status === 200) {
        keep(
          waiting().filter(function (one) {
            return one.key !== first.key;
          })
        );
        done(first.mark, asked.responseText);
        tell("Sent.");
        flush();
      } else if (asked.status >= 500) {
        again();
      } else if (asked.status === 422) {
        keep(
          waiting().filter(function (one) {
            return one.key !== first.key;
          })
        );
        tell("The shop could not read that: test it again.");
        flush();
      } else {
        tell("This link is over. Ask for a new one: what was tested is kept here and sent with it.");
      }
    };
    asked.onerror = asked.ontimeout = again;
    asked.send(
      "csrf=" + encodeURIComponent(csrf) + "&kind=" + first.kind + "&key=" + first.key + "&said=" +
        encodeURIComponent(first.said)
    );
  }
  function again() {
    sending = false;
    tell("No connection: kept here, and tried again.");
    setTimeout(flush, 3000);
  }
  function done(mark, outcome) {
    var words = { works: "works", faulty: "faulty", not_testable: "not known yet" };
    all("[data-test='" + mark + "'] .came").forEach(function (one) {
      one.textContent = words[outcome] || "";
      one.className = "came " + outcome;
    });
  }

  // -- the whole screen, where the browser gives it
  function open() {
    stage.textContent = "";
    stage.className = "on";
    var ask = stage.requestFullscreen || stage.webkitRequestFullscreen;
    if (ask) {
      try {
        var asked = ask.call(stage);
        if (asked && asked.catch) asked.catch(function () {});
      } catch (error) {
        // as large as the page, then
      }
    }
  }
  function close() {
    stage.className = "";
    stage.textContent = "";
    var leave = document.exitFullscreen || document.webkitExitFullscreen;
    if (leave && (document.fullscreenElement || document.webkitFullscreenElement)) {
      var left = leave.call(document);
      if (left && left.catch) left.catch(function () {});
    }
  }
  function size() {
    return { w: window.innerWidth, h: window.innerHeight };
  }
  var card = 0;

  // -- touches, from whatever this browser calls them
  function listen(target, began, moved, ended) {
    var now = window.performance && performance.now ? function () { return performance.now(); } : Date.now;
    function each(event, act) {
      event.preventDefault();
      if (event.changedTouches) {
        for (var n = 0; n < event.changedTouches.length; n += 1) {
          var one = event.changedTouches[n];
          act("t" + one.identifier, now(), one.clientX, one.clientY);
        }
      } else {
        // a mouse that goes over a button draws on
        if (event.type === "pointerdown" && target.setPointerCapture) {
          try {
            target.setPointerCapture(event.pointerId);
          } catch (error) {
            // without it, then
          }
        }
        act("p" + (event.pointerId || 0), now(), event.clientX, event.clientY);
      }
    }
    var names = window.PointerEvent
      ? [["pointerdown", began], ["pointermove", moved], ["pointerup", ended], ["pointercancel", ended]]
      : [
          ["touchstart", began], ["touchmove", moved], ["touchend", ended], ["touchcancel", ended],
          ["mousedown", began], ["mousemove", moved], ["mouseup", ended],
        ];
    names.forEach(function (pair) {
      target.addEventListener(pair[0], function (event) { each(event, pair[1]); }, { passive: false });
    });
  }
  function round(value) {
    return Math.round(value * 10) / 10;
  }

  // one area to draw on: strokes by finger, and how many there were at once at most
  function sheet(tip, allowed) {
    open();
    var canvas = make("canvas", "", stage);
    canvas.setAttribute("aria-label", tip);
    var dims = size();
    canvas.width = dims.w;
    canvas.height = dims.h;
    var pen = canvas.getContext("2d");
    var kept = { dims: dims, strokes: [], most: 0 };
    var down = {};
    pen.lineCap = pen.lineJoin = "round";
    pen.lineWidth = 22;
    pen.strokeStyle = pen.fillStyle = "#2f6f4f";
    var bar = make("div", "", stage);
    bar.className = "bar";
    var idle = null;
    // what is asked stands aside while a finger draws, so that nothing of the screen stays under it
    function aside() {
      clearTimeout(idle);
      bar.className = "bar away";
    }
    function back() {
      clearTimeout(idle);
      idle = setTimeout(function () {
        bar.className = "bar";
      }, 900);
    }
    listen(
      canvas,
      function (finger, at, x, y) {
        aside();
        down[finger] = [[round(at), round(x), round(y)]];
        kept.strokes.push(down[finger]);
        kept.most = Math.max(kept.most, Object.keys(down).length);
        pen.beginPath();
        pen.arc(x, y, 11, 0, 7);
        pen.fill();
      },
      function (finger, at, x, y) {
        var stroke = down[finger];
        if (!stroke) return;
        var last = stroke[stroke.length - 1];
        stroke.push([round(at), round(x), round(y)]);
        pen.beginPath();
        pen.moveTo(last[1], last[2]);
        pen.lineTo(x, y);
        pen.stroke();
      },
      function (finger) {
        delete down[finger];
        back();
      }
    );
    make("span", tip, bar);
    allowed(bar, kept);
    return kept;
  }

  function touch() {
    var found = { quiet: null, fingers: null, line: [], all: false, card: card };
    function finish() {
      close();
      send("touch", found, "touch");
    }
    function line() {
      sheet("One straight line, from one corner to the other.", function (bar, kept) {
        button("Done", bar, function () {
          found.line = kept.strokes[0] || [];
          finish();
        });
        button("Leave out", bar, finish);
      });
    }
    function fingers() {
      sheet("Put down as many fingers at once as you can.", function (bar, kept) {
        button("Done", bar, function () {
          found.fingers = kept.most;
          line();
        });
        button("Leave out", bar, line);
      });
    }
    function quiet() {
      var left = 10;
      var kept = sheet("Do not touch it now.", function (bar, sheetKept) {
        var count = make("strong", "10", bar);
        var timer = setInterval(function () {
          left -= 1;
          count.textContent = String(left);
          if (left > 0) return;
          clearInterval(timer);
          found.quiet = [].concat.apply([], sheetKept.strokes);
          fingers();
        }, 1000);
        button("Leave out", bar, function () {
          clearInterval(timer);
          fingers();
        });
      });
      return kept;
    }
    sheet("Draw over everything, along all four edges too.", function (bar, kept) {
      function next(everything) {
        var dims = size();
        found.w = Math.max(kept.dims.w, 50);
        found.h = Math.max(kept.dims.h, 50);
        // a page that grew to the whole screen after it was opened
        if (dims.w > found.w || dims.h > found.h) {
          found.w = dims.w;
          found.h = dims.h;
        }
        found.strokes = kept.strokes.slice(0, 400);
        found.all = everything;
        quiet();
      }
      button("I drew over all of it", bar, function () { next(true); });
      button("Go on", bar, function () { next(false); });
      button("Back", bar, close);
    });
  }

  // -- the picture: full fields, and a tap where something is wrong
  var FIELDS = [
    ["white", "#fff"], ["black", "#000"], ["red", "#f00"], ["green", "#0f0"], ["blue", "#00f"], ["grey", "#808080"],
    ["dark grey", "#202020"], ["gradient", "gradient"], ["checker", "checker"],
  ];
  var KINDS = [
    ["bright", "always lit"], ["dark", "always dark"], ["sub", "one colour stuck"], ["line", "line"],
    ["blotch", "blotch"], ["speck", "dust"],
  ];
  function picture() {
    open();
    var found = { shown: [], marks: [], uneven: [], card: card };
    var place = 0;
    var field = make("div", "", stage);
    field.className = "field";
    field.tabIndex = 0;
    var bar = make("div", "", stage);
    bar.className = "bar";
    var name = make("strong", "", bar);
    var kind = make("select", "", bar);
    kind.setAttribute("aria-label", "What a tap marks");
    KINDS.forEach(function (pair) {
      make("option", pair[1], kind).value = pair[0];
    });
    function dot(x, y) {
      var mark = make("i", "", field);
      mark.style.left = x + "px";
      mark.style.top = y + "px";
    }
    function show() {
      var dims = size();
      found.w = dims.w;
      found.h = dims.h;
      name.textContent = FIELDS[place][0];
      field.textContent = "";
      field.className = "field " + (FIELDS[place][1].charAt(0) === "#" ? "" : FIELDS[place][1]);
      field.style.background = FIELDS[place][1].charAt(0) === "#" ? FIELDS[place][1] : "";
      found.marks.forEach(function (mark) { dot(mark[1], mark[2]); });
      if (found.shown.indexOf(FIELDS[place][0]) < 0) found.shown.push(FIELDS[place][0]);
    }
    function next() {
      if (place + 1 < FIELDS.length) {
        place += 1;
        show();
      } else nine();
    }
    field.addEventListener("click", function (event) {
      found.marks.push([kind.value, round(event.clientX), round(event.clientY)]);
      dot(event.clientX, event.clientY);
    });
    field.addEventListener("keydown", function (event) {
      if (event.key === "Enter" || event.key === " " || event.key === "ArrowRight") next();
      if (event.key === "Escape") close();
    });
    button("Next", bar, next);
    button("Undo", bar, function () {
      found.marks.pop();
      show();
    });
    button("Move this", bar, function () {
      bar.className = bar.className === "bar" ? "bar low" : "bar";
    });
    button("Back", bar, close);
    function nine() {
      stage.textContent = "";
      var grid = make("div", "", stage);
      grid.className = "nine";
      for (var n = 1; n <= 9; n += 1) darker(n, grid);
      var below = make("div", "", stage);
      below.className = "bar";
      make("span", "Tap what is darker or lighter than the rest.", below);
      button("Done", below, function () {
        close();
        send("picture", found, "image");
      });
    }
    function darker(number, grid) {
      var one = button(String(number), grid, function () {
        var at = found.uneven.indexOf(number);
        if (at < 0) found.uneven.push(number);
        else found.uneven.splice(at, 1);
        one.setAttribute("aria-pressed", at < 0 ? "true" : "false");
      });
    }
    show();
    field.focus();
  }

  // -- everything else: shown or played, and somebody says; measured where the browser can
  function ask(name, text) {
    stage.className = "on asked";
    make("p", text, stage);
    [["Works", true], ["Does not work", false], ["Cannot be tested", null]].forEach(function (pair) {
      button(pair[0], stage, function () {
        stop();
        close();
        send("function", { function: name, works: pair[1] }, name);
      });
    });
  }
  var stop = function () {};
  function brightness(name) {
    open();
    var level = 0;
    var timer = setInterval(function () {
      level = (level + 5) % 101;
      var grey = Math.round(level * 2.55);
      stage.style.background = "rgb(" + grey + "," + grey + "," + grey + ")";
    }, 120);
    stop = function () {
      clearInterval(timer);
      stage.style.background = "";
    };
    ask(name, "Set the brightness from low to full. Does it follow, without flicker?");
  }
  function sound(name) {
    open();
    var Audio = window.AudioContext || window.webkitAudioContext;
    if (Audio) {
      var context = new Audio();
      var tone = context.createOscillator();
      tone.frequency.setValueAtTime(200, context.currentTime);
      tone.frequency.exponentialRampToValueAtTime(6000, context.currentTime + 5);
      tone.connect(context.destination);
      tone.start();
      stop = function () {
        if (context.state !== "closed") context.close();
      };
    }
    ask(name, Audio ? "A tone rises for five seconds. Is it clear, without rattle?" : "Play any sound. Is it clear?");
  }
  function devices(wanted, then, without) {
    if (!navigator.mediaDevices || !navigator.mediaDevices.getUserMedia) return without();
    return navigator.mediaDevices.getUserMedia(wanted).then(then, without);
  }
  function camera(name) {
    open();
    devices(
      { video: true },
      function (stream) {
        var view = make("video", "", stage);
        view.muted = view.playsInline = view.autoplay = true;
        view.srcObject = stream;
        stop = function () {
          stream.getTracks().forEach(function (track) { track.stop(); });
        };
        ask(name, "Is the picture clear, without blur or dust?");
      },
      function () {
        ask(name, "This browser does not show it here. Open the camera by hand: is it clear?");
      }
    );
  }
  function microphone(name) {
    open();
    devices(
      { audio: true },
      function (stream) {
        var Audio = window.AudioContext || window.webkitAudioContext;
        var context = new Audio();
        var look = context.createAnalyser();
        context.createMediaStreamSource(stream).connect(look);
        var wave = new Uint8Array(look.fftSize);
        var most = 0;
        make("p", "Speak for four seconds.", stage);
        var timer = setInterval(function () {
          look.getByteTimeDomainData(wave);
          for (var n = 0; n < wave.length; n += 1) most = Math.max(most, Math.abs(wave[n] - 128) / 128);
        }, 50);
        setTimeout(function () {
          clearInterval(timer);
          stream.getTracks().forEach(function (track) { track.stop(); });
          context.close();
          close();
          send("function", { function: name, level: most }, name);
        }, 4000);
      },
      function () {
        ask(name, "This browser does not listen here. Record something by hand: is it heard?");
      }
    );
  }
  function rotation(name) {
    open();
    var least = [180, 180];
    var most = [-180, -180];
    var heard = false;
    function turned(event) {
      if (event.gamma === null || event.beta === null) return;
      heard = true;
      [event.gamma, event.beta].forEach(function (angle, n) {
        least[n] = Math.min(least[n], angle);
        most[n] = Math.max(most[n], angle);
      });
    }
    window.addEventListener("deviceorientation", turned);
    var said = make("p", "Turn it on its side and back, within eight seconds.", stage);
    var timer = setTimeout(function () {
      stop();
      if (!heard) {
        said.textContent = "";
        ask(name, "This browser does not tell. Turn it by hand: does the picture follow?");
        return;
      }
      close();
      send("function", { function: name, level: Math.max(most[0] - least[0], most[1] - least[1]) }, name);
    }, 8000);
    stop = function () {
      clearTimeout(timer);
      window.removeEventListener("deviceorientation", turned);
    };
  }
  var WAYS = {
    brightness: brightness, earpiece: sound, speakers: sound, loudspeaker: sound, microphone: microphone,
    camera: camera, "front-camera": camera,
    rotation: rotation,
  };

  all("[data-test]").forEach(function (row) {
    var name = row.getAttribute("data-test");
    row.querySelector("button").addEventListener("click", function () {
      if (name === "touch") touch();
      else if (name === "image") picture();
      else WAYS[name](name);
    });
  });
  var ruler = document.getElementById("ruler");
  if (ruler) {
    ruler.addEventListener("input", function () {
      card = Number(ruler.value);
      document.getElementById("card").style.width = card + "px";
      document.getElementById("laid").textContent = "A card is " + card + " wide here.";
    });
  }
  flush();
})();
