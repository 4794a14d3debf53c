# A small application, as a site's developer would write it: sessions, a form with a redirect, a
# stream, pieces of HTML for scripts, downloads in parts, error pages.
import time
from flask import Flask, Response, abort, redirect, request, send_file, session
import io

app = Flask(__name__)
app.secret_key = "a secret of the test"

PAGE = """<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<title>%s</title>
</head>
<body>
%s
</body>
</html>
"""


@app.get("/")
def home():
    session["visits"] = session.get("visits", 0) + 1
    return PAGE % ("Home", "<p>visit %d</p>" % session["visits"])


@app.route("/contact/", methods=["GET", "POST"])
def contact():
    if request.method == "POST":
        if not request.form.get("name"):
            return PAGE % ("Contact", "<form method=post><p class=error>a name, please</p></form>"), 422
        session["name"] = request.form["name"]
        return redirect("/thanks/", 303)
    return PAGE % ("Contact", "<form method=post><input name=name></form>")


@app.get("/thanks/")
def thanks():
    return PAGE % ("Thanks", "<p>Thank you, %s</p>" % session.get("name", "nobody"))


@app.get("/piece")
def piece():
    return "<li>one more</li>"


@app.get("/stream")
def stream():
    def pieces():
        for i in range(4):
            yield "data: %d at %f\n\n" % (i, time.time())
            time.sleep(0.15)
    return Response(pieces(), mimetype="text/event-stream")


@app.get("/slow-page")
def slow_page():
    def pieces():
        page = PAGE % ("Slow", "<p>slow</p>")
        for i in range(0, len(page), 40):
            yield page[i:i + 40]
            time.sleep(0.01)
    return Response(pieces(), mimetype="text/html")


@app.get("/report.pdf")
def report():
    return send_file(io.BytesIO(b"%PDF-1.4 " + bytes(range(256)) * 40), mimetype="application/pdf", etag="report", conditional=True)


@app.post("/echo")
def echo():
    return Response(request.get_data(), mimetype="application/octet-stream")


@app.get("/who")
def who():
    return {"host": request.host, "for": request.headers.get("X-Forwarded-For"), "proto": request.headers.get("X-Forwarded-Proto")}


@app.errorhandler(404)
def missing(_):
    return PAGE % ("Not here", "<p>nothing is here</p>"), 404


@app.get("/fails")
def fails():
    abort(500)
