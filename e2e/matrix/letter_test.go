package matrix

import (
	"encoding/base64"
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"regexp"
	"slices"
	"strings"
	"testing"

	"merrycrate.example/merry/internal/merrytest"
	"merrycrate.example/merry/internal/trials"
)

// A letter is a page under a policy, of which a detail of the standard decides.
type letter struct{ policy, markup string }

// letters are pages on which readers of the standard go wrong most easily. META stands for a meta element with the
// policy, HASH for the hash of js/plain.js; the policy is sent as a header where the markup has no META.
var letters = []letter{
	// addresses are upgraded before they are compared
	{"script-src https://cdn.harbour.example; upgrade-insecure-requests", `<script ` +
		`src="http://cdn.harbour.example/a.js"></script>`},
	{"script-src https://cdn.harbour.example", `<script src="http://cdn.harbour.example/a.js"></script>`},
	{"img-src https:; upgrade-insecure-requests", `<img src="http://cdn.harbour.example/a.png" alt="">`},
	{"img-src https:", `<img src="http://cdn.harbour.example/a.png" alt="">`},
	{"style-src https://cdn.harbour.example; upgrade-insecure-requests", `META<link rel="stylesheet" ` +
		`href="http://cdn.harbour.example/a.css">`},
	// a base that the policy forbids
	{"base-uri 'none'", `<base href="deep/"><script src="js/plain.js"></script>`},
	{"base-uri 'none'", `META<base href="deep/"><script src="js/plain.js"></script>`},
	{"base-uri 'none'", `<base href="deep/">META<script src="js/plain.js"></script>`},
	{"base-uri 'self'", `<base href="js/"><script src="plain.js"></script>`},
	{"base-uri http://cdn.harbour.example", `<base href="http://cdn.harbour.example/"><script src="a.js"></script>`},
	{"base-uri 'none'", `<p id="p"></p><base href="deep/"><script src="js/plain.js"></script>`},
	{"base-uri 'none'", `<base href="deep/"><base href="js/"><script src="js/plain.js"></script>`},
	{"base-uri 'none', base-uri 'self'", `<base href="deep/"><script src="js/plain.js"></script>`},
	{"default-src 'self'", `<base href="js/"><script src="plain.js"></script>`},
	{"base-uri 'none'", `<base target="_blank"><script src="js/plain.js"></script>`},
	// queries and upper case in sources
	{"script-src http://cdn.harbour.example/a.js?v=1", `<script src="http://cdn.harbour.example/a.js?v=1"></script>`},
	{"script-src http://cdn.harbour.example/a.js?v=1", `<script src="http://cdn.harbour.example/b.js"></script>`},
	{"script-src http://cdn.harbour.example/a.js#part", `<script src="http://cdn.harbour.example/a.js"></script>`},
	{"script-src http://CDN.harbour.example/", `<script src="http://cdn.harbour.example/a.js"></script>`},
	{"script-src HTTP://cdn.harbour.example", `<script src="http://cdn.harbour.example/a.js"></script>`},
	{"script-src http://cdn.harbour.example/A.js", `<script src="http://cdn.harbour.example/a.js"></script>`},
	{"SCRIPT-SRC 'SELF'", `<script src="js/plain.js"></script>`},
	{"script-src 'SHA256-INLINE'", `<script>var a = 1;</script>`},
	{"script-src 'SHA384-INLINE384'", `<script>var a = 1;</script>`},
	{"script-src 'SHA384-FILE384'", `<script src="js/plain.js" integrity="sha384-FILE384"></script>`},
	{"script-src 'sha384-FILE384'", `<script src="js/plain.js" integrity="SHA384-FILE384"></script>`},
	{"script-src 'sha384-FILE384'", `<script src="js/plain.js" integrity="sha384-FILE384"></script>`},
	{"script-src 'sha384-FILE384'", `<script src="js/plain.js"></script>`},
	{"script-src 'sha256-FILE256' 'sha384-FILE384'", `<script src="js/plain.js" integrity="sha256-FILE256 ` +
		`sha384-FILE384"></script>`},
	{"script-src 'sha256-FILE256'", `<script src="js/plain.js" integrity="sha256-FILE256 sha384-FILE384"></script>`},
	{"script-src 'sha384-FILE384'", `<script type="module" src="js/plain.js" integrity="sha384-FILE384"></script>`},
	{"style-src 'sha384-SHEET384'", `<link rel="stylesheet" href="css/plain.css" integrity="sha384-SHEET384">`},
	{"script-src 'NONCE-tide'", `<script nonce="tide">var a = 1;</script>`},
	{"script-src 'nonce-tide'", `<script nonce="Tide">var a = 1;</script>`},
	{"script-src 'nonce-tide'", `<script nonce=" tide">var a = 1;</script>`},
	// nonces that do not count
	{"script-src 'nonce-tide'", `<script data-x="<script" nonce="tide">var a = 1;</script>`},
	{"script-src 'nonce-tide'", `<script data-x="<style>" nonce="tide">var a = 1;</script>`},
	{"script-src 'nonce-tide'", `<script <script nonce="tide">var a = 1;</script>`},
	{"script-src 'nonce-tide'", `<script data-x="<SCRIPT" nonce="tide" src="js/plain.js"></script>`},
	{"script-src 'nonce-tide'", `<script data-x="script" nonce="tide">var a = 1;</script>`},
	{"script-src 'nonce-tide'", `<script nonce="tide" nonce="tide">var a = 1;</script>`},
	{"script-src 'nonce-tide'", `<script nonce="tide" id="a" id="b">var a = 1;</script>`},
	{"style-src 'nonce-tide'", `<style data-x="<style" nonce="tide">p { color: navy; }</style>`},
	{"style-src 'nonce-tide'", `<link rel="stylesheet" href="css/plain.css" data-x="<script" nonce="tide">`},
	{"style-src 'nonce-tide'", `<style nonce="tide" id="a" id="b">p { color: navy; }</style>`},
	{"script-src 'nonce-tide'", `<script type="module" data-x="<style" nonce="tide">window.ran = 1;</script>`},
	{"script-src 'nonce-tide'", `<script type="importmap" data-x="<style" nonce="tide">{}</script>`},
	{"script-src 'nonce-tide'", `<script type="importmap" nonce="tide">{"imports": {}}</script>`},
	// frames with a document of their own
	{"script-src 'none'", `<iframe srcdoc="&lt;script>var a = 1;&lt;/script>"></iframe>`},
	{"script-src 'self'", `<iframe srcdoc="&lt;script>var a = 1;&lt;/script>"></iframe>`},
	{"script-src 'self'", `<iframe srcdoc="&lt;script src='js/plain.js'>&lt;/script>"></iframe>`},
	{"script-src 'sha256-INLINE'", `<iframe srcdoc="&lt;script>var a = 1;&lt;/script>"></iframe>`},
	{"style-src 'none'", `<iframe srcdoc="&lt;p style='color: red'>x"></iframe>`},
	{"style-src 'none'", `<iframe srcdoc="&lt;style>p { color: red; }&lt;/style>"></iframe>`},
	{"img-src 'none'", `<iframe srcdoc="&lt;img src='img/gull.svg'>"></iframe>`},
	{"script-src 'none'", `<iframe sandbox srcdoc="&lt;p>x"></iframe>`},
	{"frame-src 'none'", `<iframe srcdoc="&lt;p>x"></iframe>`},
	{"frame-src 'none'", `<iframe src="about:blank"></iframe>`},
	{"frame-src 'none'", `<iframe></iframe>`},
	{"frame-src 'none'", `<iframe src="framed.html"></iframe>`},
	{"default-src 'self'", `<iframe srcdoc="&lt;meta http-equiv='content-security-policy' content=&quot;script-src ` +
		`'none'&quot;>&lt;script src='js/plain.js'>&lt;/script>"></iframe>`},
	{"script-src 'none'", `<iframe srcdoc="&lt;iframe srcdoc='&amp;lt;script>var a = ` +
		`1;&amp;lt;/script>'>&lt;/iframe>">` +
		`</iframe>`},
	{"script-src 'none'", `<iframe srcdoc="&lt;template>&lt;script>var a = 1;&lt;/script>&lt;/template>"></iframe>`},
	{"script-src 'none'", `<template><iframe srcdoc="&lt;script>var a = 1;&lt;/script>"></iframe></template>`},
	{"script-src 'self'", `<base href="js/"><iframe srcdoc="&lt;script src='plain.js'>&lt;/script>"></iframe>`},
	{"script-src 'unsafe-inline'", `META<iframe srcdoc="&lt;script>var a = 1;&lt;/script>"></iframe>`},
	{"script-src 'none'", `<iframe srcdoc="&lt;script>var a = 1;&lt;/script>"></iframe>META`},
	{"default-src 'none'", `<iframe srcdoc="&lt;link rel='stylesheet' href='css/plain.css'>"></iframe>`},
	{"style-src-attr 'none'", `<iframe srcdoc="&lt;p style=''>x"></iframe>`},
	// prefetches and other hints
	{"default-src 'none'", `<link rel="prefetch" href="js/plain.js">`},
	{"default-src 'none'; img-src 'self'", `<link rel="prefetch" href="js/plain.js">`},
	{"default-src 'self'", `<link rel="prefetch" href="js/plain.js">`},
	{"script-src 'none'", `<link rel="prefetch" href="js/plain.js">`},
	{"default-src 'self'", `<link rel="prefetch" href="http://cdn.harbour.example/a.js">`},
	{"default-src 'none'", `<link rel="dns-prefetch" href="http://cdn.harbour.example"><link rel="preconnect" ` +
		`href="http://cdn.harbour.example">`},
	{"script-src 'none'", `<link rel="preload" as="script" href="js/plain.js">`},
	{"script-src 'none'", `<link rel="modulepreload" href="js/part.js">`},
	{"connect-src 'none'", `<link rel="preload" as="fetch" href="data.json" crossorigin>`},
	{"default-src 'none'", `<link rel="preload" href="js/plain.js">`},
	// links to javascript:
	{"script-src 'self'", `<a id="go" href="javascript:void 0">go</a>`},
	{"script-src 'self' 'unsafe-inline'", `<a id="go" href="javascript:void 0">go</a>`},
	{"script-src 'unsafe-hashes' 'sha256-VOID'", `<a id="go" href="javascript:void 0">go</a>`},
	{"script-src 'unsafe-hashes' 'sha256-JSVOID'", `<a id="go" href="javascript:void 0">go</a>`},
	{"script-src-elem 'none'; script-src-attr 'unsafe-inline'", `<a id="go" href="javascript:void 0">go</a>`},
	{"script-src-elem 'self' 'unsafe-inline'; script-src-attr 'none'", `<a id="go" href="javascript:void 0">go</a>`},
	{"default-src 'self'", `<iframe src="javascript:void 0"></iframe>`},
	{"script-src 'self'", `<a id="go" href="java&#10;script:void 0">go</a>`},
	{"script-src 'self'", `<a id="go" href=" JavaScript:void 0">go</a>`},
	{"script-src 'self'", `<form action="javascript:void 0"><button id="go">go</button></form>`},
	{"script-src 'self'", `<iframe src="javascript:void 0"></iframe>`},
	// trusted types
	{"require-trusted-types-for 'script'", `<p id="p"></p><script>document.getElementById("p").innerHTML = ` +
		`"<b>x</b>";</script>`},
	{"require-trusted-types-for 'script'", `<p id="p"></p><script>document.getElementById("p").textContent = ` +
		`"x";</script>`},
	{"require-trusted-types-for 'script'", `<script>var s = document.createElement("script"); s.src = ` +
		`"js/plain.js";</script>`},
	{"require-trusted-types-for 'script'", `<script>document.write("<p>x");</script>`},
	{"require-trusted-types-for 'script'", `<script>new Function("return 1");</script>`},
	{"require-trusted-types-for 'script'", `<script>setTimeout("1", 1);</script>`},
	{"require-trusted-types-for 'script'", `<script>setTimeout(function () {}, 1);</script>`},
	{"require-trusted-types-for 'script'", `<p id="p"></p><script>document.getElementById("p")` +
		`.insertAdjacentHTML("beforeend", "<b>x</b>");</script>`},
	{"require-trusted-types-for 'script'", `<p id="p"></p><script>var t = trustedTypes.createPolicy("club", ` +
		`{createHTML: function (s) { return s; }}); document.getElementById("p").innerHTML = ` +
		`t.createHTML("x");</script>`},
	{"require-trusted-types-for 'script'; trusted-types club", `<p id="p"></p><script>var t = ` +
		`trustedTypes.createPolicy("club", {createHTML: function (s) { return s; }}); ` +
		`document.getElementById("p").innerHTML = t.createHTML("x");</script>`},
	{"require-trusted-types-for 'script'; trusted-types other", `<p id="p"></p><script>var t = ` +
		`trustedTypes.createPolicy("club", {createHTML: function (s) { return s; }});</script>`},
	{"require-trusted-types-for 'script'", `<p id="p"></p><script>trustedTypes.createPolicy("default", ` +
		`{createHTML: function (s) { return s; }}); document.getElementById("p").innerHTML = "x";</script>`},
	{"trusted-types 'none'", `<script>trustedTypes.createPolicy("club", {});</script>`},
	{"trusted-types club", `<script>trustedTypes.createPolicy("club", {}); trustedTypes.createPolicy("club", ` +
		`{});</script>`},
	{"trusted-types club 'allow-duplicates'", `<script>trustedTypes.createPolicy("club", {}); ` +
		`trustedTypes.createPolicy("club", {});</script>`},
	{"require-trusted-types-for 'script'", `<p id="p"></p><script>document.getElementById("p")` +
		`.setAttribute("onclick", "1");</script>`},
	{"require-trusted-types-for 'script'", `<p id="p"></p><script>document.getElementById("p")` +
		`.setAttribute("title", "1");</script>`},
	{"require-trusted-types-for 'script'", `<script>document.head.appendChild(document.createElement("script"))` +
		`.textContent = "1";</script>`},
	{"require-trusted-types-for 'script'", `<script>new DOMParser().parseFromString("<p>x", "text/html");</script>`},
	{"require-trusted-types-for 'script'", `<script>document.createRange()` +
		`.createContextualFragment("<p>x");</script>`},
	{"require-trusted-types-for 'script'", `<script>var p = trustedTypes.createPolicy("club", {createScriptURL: ` +
		`function (s) { return s; }}); var s = document.createElement("script"); s.src = ` +
		`p.createScriptURL("js/plain.js"); document.head.appendChild(s);</script>`},
	{"require-trusted-types-for 'script'", `<script>if (window.trustedTypes && trustedTypes.isHTML("x")) ` +
		`nothing();</script>`},
	{"require-trusted-types-for 'script'", `<script>document.createElement("img").src = "data:,";</script>`},
	{"require-trusted-types-for 'script'", `<script>eval(1);</script>`},
	{"require-trusted-types-for 'script'", `<script>eval("1");</script>`},
	{"require-trusted-types-for 'script'", `<script>document.createElement("p").outerHTML;</script>`},
	{"require-trusted-types-for 'script'", `<script>document.createElement("template").innerHTML = "x";</script>`},
	{"require-trusted-types-for 'script'", `<script src="js/plain.js"></script>`},
	// what scripts set
	{"style-src 'self'", `<script>document.head.appendChild(document.createElement("style"));</script>`},
	{"style-src 'self'", `<script>document.createElement("p").setAttribute("style", "color: red");</script>`},
	{"style-src 'self'", `<script>document.createElement("p").setAttribute("style", "");</script>`},
	{"style-src 'self'", `<script>document.createElement("p").innerHTML = "<b style='color: red'>x</b>";</script>`},
	{"style-src 'self'", `<script>document.createElement("template").innerHTML = "<b style='color: ` +
		`red'>x</b>";</script>`},
	{"style-src 'self'", `<p id="p"></p><script>var t = document.createElement("template"); t.innerHTML = "<b ` +
		`style='color: red'>x</b>"; document.getElementById("p").appendChild(t.content.cloneNode(true));</script>`},
	{"style-src 'self'", `<p id="p"></p><script>var t = document.createElement("template"); t.innerHTML = "<b ` +
		`style='color: red'>x</b>"; document.getElementById("p").appendChild(t.content);</script>`},
	{"style-src 'self'", `<script>new DOMParser().parseFromString("<b style='color: red'>x</b>", ` +
		`"text/html");</script>`},
	{"style-src 'self'", `<p id="p"></p><script>document.getElementById("p").insertAdjacentHTML("beforeend", "<b ` +
		`style='color: red'>x</b>");</script>`},
	{"style-src 'self'", `<script>document.write("<b style='color: red'>x</b>");</script>`},
	{"style-src 'self'", `<script>document.write("<style>p { color: red; }</style>");</script>`},
	{"style-src 'self'", `<p id="p"></p><script>document.getElementById("p").attachShadow({mode: "open"})` +
		`.innerHTML = "<style>b { color: red; }</style>";</script>`},
	{"style-src 'self'", `<p id="p"></p><script>var s = new CSSStyleSheet(); s.replaceSync("p { color: red; }"); ` +
		`document.adoptedStyleSheets = [s];</script>`},
	{"style-src 'sha256-STYLE'", `<script>var s = document.createElement("style"); s.textContent = "p { color: red; ` +
		`}"; document.head.appendChild(s);</script>`},
	{"style-src 'unsafe-hashes' 'sha256-RED'", `<p id="p"></p><script>document.getElementById("p")` +
		`.setAttribute("style", "color: red");</script>`},
	{"style-src 'sha256-RED'", `<p id="p"></p><script>document.getElementById("p")` +
		`.setAttribute("style", "color: red");</script>`},
	{"style-src 'self'", `<p id="p"></p><script>setTimeout(function () { document.getElementById("p")` +
		`.setAttribute("style", "color: red"); }, 5);</script>`},
	{"script-src 'unsafe-inline'; script-src-attr 'none'", `<p id="p"></p><script>var a = ` +
		`document.createElement("a"); a.setAttribute("onclick", "1");</script>`},
	{"script-src 'unsafe-inline'", `<script>document.head.insertAdjacentHTML("beforeend", "<script ` +
		`src=js/plain.js><\/script>");</script>`},
	{"script-src 'nonce-tide'", `<script nonce="tide">var s = document.createElement("script"); s.nonce = "tide"; ` +
		`s.src = "js/plain.js"; document.head.appendChild(s);</script>`},
	{"script-src 'nonce-tide' 'strict-dynamic'", `<script nonce="tide">import("./js/part.js");</script>`},
	{"script-src 'nonce-tide'", `<script nonce="tide">import("./js/part.js");</script>`},
	{"script-src 'self' 'unsafe-inline'", `<script>import("http://cdn.harbour.example/a.js").catch(function () ` +
		`{});</script>`},
	{"connect-src 'none'", `<script>var x = new XMLHttpRequest(); x.open("POST", "send"); x.send("1");</script>`},
	{"connect-src 'none'", `<script>navigator.sendBeacon("send", "1");</script>`},
	{"connect-src 'none'", `<script>try { new EventSource("events"); } catch (e) {}</script>`},
	{"connect-src 'none'", `<script>try { new WebSocket("ws://cdn.harbour.example/"); } catch (e) {}</script>`},
	{"img-src 'self'", `<p id="p"></p><script>document.getElementById("p").innerHTML = "<img ` +
		`src='http://cdn.harbour.example/a.png'>";</script>`},
	{"img-src 'self'", `<p id="p"></p><script>document.getElementById("p").style.backgroundImage = ` +
		`"url(http://cdn.harbour.example/a.png)";</script>`},
	{"style-src 'self'", `<p id="p"></p><script>document.getElementById("p").setAttribute("style", "color: ` +
		`red");</script>`},
	{"style-src 'self'", `<p id="p"></p><script>document.getElementById("p").style.color = "red";</script>`},
	{"style-src 'self'", `<p id="p"></p><script>document.getElementById("p").style.cssText = "color: red";</script>`},
	{"style-src 'self'", `<p id="p"></p><script>document.getElementById("p").innerHTML = "<b style='color: ` +
		`red'>x</b>";</script>`},
	{"style-src 'self'", `<script>var s = document.createElement("style"); s.textContent = "p { color: red; }"; ` +
		`document.head.appendChild(s);</script>`},
	{"style-src 'self'", `<script>var s = document.createElement("style"); document.head.appendChild(s); ` +
		`s.appendChild(document.createTextNode("p { color: red; }"));</script>`},
	{"style-src 'self'", `<script>var s = document.createElement("style"); document.head.appendChild(s); ` +
		`s.sheet.insertRule("p { color: red; }");</script>`},
	{"style-src 'self'", `<script>var s = document.createElement("style"); s.textContent = "p { color: red; ` +
		`}";</script>`},
	{"style-src 'nonce-tide'", `<script>var s = document.createElement("style"); s.nonce = "tide"; s.textContent ` +
		`= "p { color: red; }"; document.head.appendChild(s);</script>`},
	{"style-src 'self'", `<script>var l = document.createElement("link"); l.rel = "stylesheet"; l.href = ` +
		`"http://cdn.harbour.example/a.css"; document.head.appendChild(l);</script>`},
	{"script-src 'self' 'unsafe-inline'", `<script>var s = document.createElement("script"); s.src = ` +
		`"http://cdn.harbour.example/a.js"; document.head.appendChild(s);</script>`},
	{"script-src 'nonce-tide'", `<script nonce="tide">var s = document.createElement("script"); s.textContent = ` +
		`"var b = 1;"; document.head.appendChild(s);</script>`},
	{"script-src 'nonce-tide' 'strict-dynamic'", `<script nonce="tide">var s = document.createElement("script"); ` +
		`s.src = "js/plain.js"; document.head.appendChild(s);</script>`},
	{"script-src 'nonce-tide' 'strict-dynamic'", `<script nonce="tide">document.write("<script ` +
		`src=js/plain.js><\/script>");</script>`},
	{"script-src 'nonce-tide'", `<p id="p"></p><script nonce="tide">document.getElementById("p")` +
		`.setAttribute("onclick", "1");</script>`},
	{"script-src 'nonce-tide'", `<p id="p"></p><script nonce="tide">document.getElementById("p").onclick = ` +
		`function () {};</script>`},
	{"script-src 'nonce-tide'", `<p id="p"></p><script nonce="tide">document.getElementById("p").innerHTML = "<b ` +
		`onclick='1'>x</b>";</script>`},
	{"img-src 'none'", `<script>new Image().src = "img/gull.svg";</script>`},
	{"connect-src 'none'", `<script>fetch("data.json").catch(function () {});</script>`},
	{"connect-src 'self'", `<script>fetch("data.json").catch(function () {});</script>`},
	{"worker-src 'none'", `<script>try { new Worker("js/plain.js"); } catch (e) {}</script>`},
	{"frame-src 'none'", `<script>var f = document.createElement("iframe"); f.src = "framed.html"; ` +
		`document.head.appendChild(f);</script>`},
	{"form-action 'self'", `<form action="/"><button>go</button></form>`},
	{"style-src 'self'", `<template><p style="color: red">x</p></template>`},
	{"style-src 'self'", `<template><style>p { color: red; }</style></template>`},
	{"script-src 'unsafe-inline'; script-src-attr 'none'", `<template><b onclick="1">x</b></template>`},
	{"script-src 'unsafe-inline'; script-src-attr 'none'", `<script>document.createElement("template").innerHTML = ` +
		`"<b onclick='1'>x</b>";</script>`},
	{"script-src 'unsafe-inline'; script-src-attr 'none'", `<p id="p"></p><script>var t = ` +
		`document.createElement("template"); t.innerHTML = "<b onclick='1'>x</b>"; ` +
		`document.getElementById("p").appendChild(t.content);</script>`},
	{"script-src 'unsafe-inline'; script-src-attr 'none'", `<script>new DOMParser().parseFromString("<b ` +
		`onclick='1'>x</b>", "text/html");</script>`},
	{"style-src 'self'", `<p id="p" style="color: red">x</p><script>document.body.appendChild(` +
		`document.getElementById("p").cloneNode(true));</script>`},
	{"style-src 'self'", `<script>class Gull extends HTMLElement { constructor() { super(); var s = ` +
		`document.createElement("style"); s.textContent = "b { color: red; }"; this.attachShadow({mode: ` +
		`"open"}).appendChild(s); } } customElements.define("x-gull", Gull); ` +
		`document.documentElement.appendChild(document.createElement("x-gull"));</script>`},
	{"style-src 'self'", `<script>var s = document.createElement("style"); s.textContent = "@import ` +
		`url(http://cdn.harbour.example/a.css)"; document.head.appendChild(s);</script>`},
	{"style-src 'unsafe-inline'; img-src 'none'", `<script>var s = document.createElement("style"); s.textContent = ` +
		`"body { background: url(img/gull.svg); }"; document.head.appendChild(s);</script>`},
	// several at once
	{"script-src 'self', script-src 'none'", `<script src="js/plain.js"></script>`},
	{"script-src 'self'; script-src 'none'", `<script src="js/plain.js"></script>`},
	{"script-src", `<script src="js/plain.js"></script>`},
	{"script-src 'none' 'self'", `<script src="js/plain.js"></script>`},
	{"default-src", `<script src="js/plain.js"></script>`},
	{"script-src 'self' 'none'", `<script>var a = 1;</script>`},
	{"script-src 'strict-dynamic' 'self'", `<script src="js/plain.js"></script>`},
	{"script-src 'unsafe-inline' 'nonce-tide'", `<script>var a = 1;</script>`},
	{"style-src 'unsafe-inline' 'nonce-tide'", `<p style="color: red">x</p>`},
	{"script-src 'self'; script-src-elem 'none'", `<script src="js/plain.js"></script>`},
	{"script-src 'none'; script-src-elem 'self'", `<script src="js/plain.js"></script>`},
	{"style-src 'none'; style-src-attr 'unsafe-inline'", `<p style="color: red">x</p>`},
	{"child-src 'none'", `<iframe src="framed.html"></iframe>`},
	{"object-src 'none'", `<embed src="img/gull.svg">`},
	{"media-src 'none'", `<audio src="none.mp3"></audio>`},
	{"manifest-src 'none'", `<link rel="manifest" href="site.webmanifest">`},
	{"img-src data:", `<img src="data:image/gif;base64,R0lGODlhAQABAAAAACw=" alt="">`},
	{"img-src 'self'", `<img src="data:image/gif;base64,R0lGODlhAQABAAAAACw=" alt="">`},
	{"sandbox allow-scripts", `<script src="js/plain.js"></script>`},
	{"script-src 'self' 'unsafe-eval'", `<script src="js/evals.js"></script>`},
	{"script-src 'self' 'wasm-unsafe-eval'", `<script src="js/evals.js"></script>`},
	// policies of integrity
	{"I blocked-destinations=(script), sources=()", `<script src="js/plain.js"></script>`},
	{"I blocked-destinations=(script), sources=(inline)", `<script src="js/plain.js"></script>`},
	{"I blocked-destinations=(script), sources=(other)", `<script src="js/plain.js"></script>`},
	{"I blocked-destinations=(SCRIPT)", `<script src="js/plain.js"></script>`},
	{"I blocked-destinations=(\"script\")", `<script src="js/plain.js"></script>`},
	{"I blocked-destinations=script", `<script src="js/plain.js"></script>`},
	{"I blocked-destinations = (script)", `<script src="js/plain.js"></script>`},
	{"I Blocked-Destinations=(script)", `<script src="js/plain.js"></script>`},
	{"I blocked-destinations=(script), endpoints=(main)", `<script src="js/plain.js"></script>`},
	{"I blocked-destinations=(script),", `<script src="js/plain.js"></script>`},
	{"I blocked-destinations=(script)", `<script src="js/plain.js" integrity="SHA384-FILE384" ` +
		`crossorigin></script>`},
	{"I blocked-destinations=(script)", `<script src="js/plain.js" integrity="sha1-abc" crossorigin></script>`},
	{"I blocked-destinations=(script)", `<script type="module">import "./js/part.js";</script>`},
	{"I blocked-destinations=(script)", `<script type="importmap">{"integrity": {"./js/part.js": ` +
		`"sha384-PART384"}}</script><script type="module">import "./js/part.js";</script>`},
	{"I blocked-destinations=(script)", `<link rel="modulepreload" href="js/part.js">`},
	{"I blocked-destinations=(script)", `<link rel="preload" as="script" href="js/plain.js">`},
	{"I blocked-destinations=(script)", `<script>var s = document.createElement("script"); s.src = ` +
		`"js/plain.js"; document.head.appendChild(s);</script>`},
	{"I blocked-destinations=(script)", `<script>var s = document.createElement("script"); s.integrity = ` +
		`"sha384-FILE384"; s.crossOrigin = "anonymous"; s.src = "js/plain.js"; document.head.appendChild(s);</script>`},
	{"I blocked-destinations=(script)", `<script>window.ran = 1;</script>`},
}

// unbroken is what a console says of a policy without refusing anything.
var unbroken = regexp.MustCompile(`^warning: |Ignoring duplicate|keyword 'none' alongside|outside the document's ` +
	`<head>|, will be ignored`)

// differing are pages on which the browser does not do what the standard says: it leaves out the space of a nonce, it
// fetches a manifest only when it needs it, and a style's nonce counts beside an attribute that is there twice.
var differing = []string{` nonce=" tide"`, `rel="manifest"`, `<style nonce="tide" id="a" id="b">`}

// network is what a console says where a server was not reached, which no policy has a hand in.
var network = regexp.MustCompile(`net::ERR_(?:SSL|CONNECTION|CERT|EMPTY|NAME|TUNNEL|PROXY|BLOCKED_BY_ORB)|status of ` +
	`(?:404|502)`)

// lettersOf writes the pages, and returns their names, the header of each, and a file of headers.
func lettersOf(s *merrytest.Site, list []letter, files map[string]string) (pages []string, sent map[string][2]string,
	headers string) {
	base := base64.StdEncoding.EncodeToString
	hashes := strings.NewReplacer("INLINE384", base(sum384([]byte("var a = 1;"))), "INLINE",
		base(sum256([]byte("var a = 1;"))), "FILE384", base(sum384([]byte(files["js/plain.js"]))), "FILE256",
		base(sum256([]byte(files["js/plain.js"]))), "SHEET384", base(sum384([]byte(files["css/plain.css"]))),
		"PART384", base(sum384([]byte(files["js/part.js"]))), "JSVOID", base(sum256([]byte("javascript:void 0"))),
		"VOID", base(sum256([]byte("void 0"))), "STYLE", base(sum256([]byte("p { color: red; }"))), "RED",
		base(sum256([]byte("color: red"))))
	sent = map[string][2]string{}
	for n, l := range list {
		pages = append(pages, fmt.Sprintf("letter-%03d.html", n))
		policy, markup := hashes.Replace(l.policy), hashes.Replace(l.markup)
		for _, name := range []string{"js/plain.js", "js/part.js"} {
			// A browser keeps files for pages that are open beside each other, so each page has its own.
			own := strings.Replace(name, ".", fmt.Sprintf("-%03d.", n), 1)
			s.Write(own, files[name])
			markup = strings.ReplaceAll(markup, name, own)
		}
		if strings.Contains(markup, "META") {
			markup = strings.Replace(markup, "META", `<meta http-equiv="Content-Security-Policy" content="`+policy+
				`">`, 1)
		} else {
			h := [2]string{"Content-Security-Policy", policy}
			if rest, is := strings.CutPrefix(policy, "I "); is {
				h = [2]string{"Integrity-Policy", rest}
			}
			sent["/"+pages[n]] = h
			headers += "/" + pages[n] + "\n  " + h[0] + ": " + h[1] + "\n"
		}
		head, body := markup, ""
		if at := strings.Index(markup, `<p `); at >= 0 {
			head, body = markup[:at], markup[at:]
		}
		for _, element := range []string{"<a ", "<img", "<iframe", "<form", "<audio", "<embed"} {
			if strings.HasPrefix(markup, element) {
				head, body = "", markup
			}
		}
		s.Write(pages[n], "<!doctype html>\n<html lang=\"en\"><head><meta charset=\"utf-8\"><title>x</title>"+head+
			"</head><body><p>Hello</p>"+body+"</body></html>\n")
	}
	return pages, sent, headers
}

// saidByBrowser is what a console says of a page's policy, "" for nothing.
func saidByBrowser(l letter, seen merrytest.Seen) string {
	if strings.HasPrefix(l.policy, "I ") { // the console is silent of what such a policy blocks
		if seen.Value != "number" && strings.Contains(l.markup, "<script") {
			return "a script did not run"
		}
		return ""
	}
	var lines []string
	for _, line := range append(seen.Console, seen.Failed...) {
		if !network.MatchString(line) && !unbroken.MatchString(line) {
			lines = append(lines, line)
		}
	}
	return strings.Join(lines, "; ")
}

// TestPoliciesByTheLetter holds check's errors against a browser's console, on pages of which a detail decides.
func TestPoliciesByTheLetter(t *testing.T) {
	t.Parallel()
	s, cdn := merrytest.Linked(t)
	files := map[string]string{"js/plain.js": "window.ran = 1;\n", "js/part.js": "window.ran = 1;\nexport const a " +
		"= 1;\n",
		"css/plain.css": "p { color: navy; }\n", "data.json": "{}\n", "framed.html": merrytest.PlainPage,
		"js/evals.js":      "var sum = new Function('a', 'b', 'return a + b')(1, 2);\n",
		"img/gull.svg":     "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"1\" height=\"1\"/>\n",
		"site.webmanifest": "{\"name\": \"club\"}\n", "none.mp3": "none"}
	for name, text := range files {
		s.Write(name, text)
	}
	list := trials.Sample(letters)
	pages, sent, headers := lettersOf(s, list, files)
	s.Write("_headers", headers)
	s.Write("crate.yaml", s.Read("crate.yaml")+"headers: [_headers]\n")
	var report struct {
		Findings []struct{ Name, Severity, File, Message string }
	}
	if err := json.Unmarshal([]byte(s.Try("check", "letter-*.html", "--rehearse", "--json", "--all").Out),
		&report); err != nil {
		t.Fatal(err)
	}
	said, errors := map[string]string{}, map[string]bool{}
	for _, f := range report.Findings {
		said[f.File] += f.Name + ": " + f.Message + "; "
		errors[f.File] = errors[f.File] || f.Severity == "error" || f.Name == "policy-forbids"
	}
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/favicon.ico" { // every browser asks for it once
			w.WriteHeader(http.StatusNoContent)
			return
		}
		if h := sent[r.URL.Path]; h[0] != "" {
			w.Header().Set(h[0], h[1])
		}
		http.FileServer(http.Dir(s.Dir)).ServeHTTP(w, r)
	}))
	defer server.Close()
	broken := 0
	ctx := merrytest.Browser(t, merrytest.Hosts{"*.harbour.example": cdn.Addr})
	for i, seen := range merrytest.VisitAll(t, ctx, addressesOf(server.URL, pages),
		"(document.getElementById('go') && document.getElementById('go').click(), typeof window.ran)") {
		console := saidByBrowser(list[i], seen)
		if console != "" {
			broken++
		}
		if (console != "") != errors[pages[i]] && !slices.ContainsFunc(differing, func(d string) bool {
			return strings.Contains(list[i].markup, d)
		}) {
			t.Errorf("%s: %s under %s\nthe browser says %q\ncheck says %q", pages[i], list[i].markup, list[i].policy,
				console, said[pages[i]])
		}
	}
	t.Logf("%d pages, %d broken", len(pages), broken)
	if broken < len(pages)/3 {
		t.Errorf("only %d of %d pages are broken", broken, len(pages))
	}
}
