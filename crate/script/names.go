package script

import (
	_ "embed"
	"maps"
	"slices"
	"strings"
	"sync"
)

// IsLoader tells the names that loaders of modules and servers give to scripts, and no browser: require, module and the
// like.
func IsLoader(name string) bool { return absent[name] }

// BrowserNames lists the names that a browser gives to every script, sorted.
func BrowserNames() []string {
	return slices.DeleteFunc(slices.Sorted(maps.Keys(browserNames())), func(name string) bool { return gone[name] })
}

// gone are names that browsers gave once, and that none of today's engines has: who asks for them is answered no.
var gone = setOf(
	`ActiveXObject XDomainRequest CollectGarbage MSApp MSCSSMatrix MSStream WinJS Windows msCrypto opera ` +
		`attachEvent detachEvent execScript
	setImmediate clearImmediate getMatchedCSSRules openDatabase ClientRect ClientRectList
	mozRequestAnimationFrame msRequestAnimationFrame oRequestAnimationFrame mozCancelAnimationFrame
	webkitCancelRequestAnimationFrame mozCancelRequestAnimationFrame
	msCancelAnimationFrame oCancelAnimationFrame webkitIndexedDB mozIndexedDB MozMutationObserver mozRTCPeerConnection`)

func setOf(names string) map[string]bool {
	m := map[string]bool{}
	for _, n := range strings.Fields(names) {
		m[n] = true
	}
	return m
}

// alias are the names of the global object in a browser (HTML Standard, section 7.2.2; ECMA-262,
// section 19.1).
var alias = map[string]bool{"window": true, "self": true, "globalThis": true, "frames": true, "parent": true,
	"top": true}

// absent are names that servers and loaders have and browsers have not. A script that asks for them
// finds out where it is.
var absent = map[string]bool{"require": true, "module": true, "exports": true, "define": true, "process": true,
	"global": true,
	"Buffer": true, "__dirname": true, "__filename": true, "importScripts": true, "Deno": true, "Bun": true,
	"WScript": true}

// browserNames are what a browser gives to every script: the globals of ECMA-262 and of the HTML, DOM
// and related standards, without event handlers and element interfaces, which are reported by their form.
var browserNames = sync.OnceValue(func() map[string]struct{} {
	m := map[string]struct{}{}
	for _, n := range strings.Fields(`
Object Function Array String Number Boolean Symbol BigInt Math Date RegExp Error TypeError RangeError SyntaxError
ReferenceError EvalError
toString toLocaleString valueOf hasOwnProperty isPrototypeOf propertyIsEnumerable constructor
URIError AggregateError SuppressedError JSON Promise Proxy Reflect Map Set WeakMap WeakSet WeakRef
FinalizationRegistry ArrayBuffer SharedArrayBuffer
Atomics DataView Int8Array Uint8Array Uint8ClampedArray Int16Array Uint16Array Int32Array Uint32Array Float16Array
Float32Array Float64Array BigInt64Array
BigUint64Array Intl WebAssembly Iterator AsyncIterator Infinity eval isFinite isNaN parseFloat parseInt decodeURI
decodeURIComponent
encodeURI encodeURIComponent escape unescape arguments
document location navigator history screen console performance localStorage sessionStorage indexedDB caches crypto
customElements
visualViewport external origin name status closed length opener frameElement innerWidth innerHeight outerWidth
outerHeight
scrollX scrollY pageXOffset pageYOffset screenX screenY screenLeft screenTop devicePixelRatio isSecureContext
crossOriginIsolated
menubar toolbar scrollbars statusbar personalbar locationbar clientInformation event styleMedia speechSynthesis
trustedTypes scheduler cookieStore launchQueue navigation
alert confirm prompt print open close stop focus blur postMessage scroll scrollTo scrollBy moveTo moveBy resizeTo
resizeBy getSelection find
setTimeout clearTimeout setInterval clearInterval setImmediate clearImmediate requestAnimationFrame
cancelAnimationFrame requestIdleCallback cancelIdleCallback
webkitRequestAnimationFrame mozRequestAnimationFrame msRequestAnimationFrame oRequestAnimationFrame
webkitCancelAnimationFrame mozCancelAnimationFrame
webkitCancelRequestAnimationFrame mozCancelRequestAnimationFrame msCancelAnimationFrame oCancelAnimationFrame
queueMicrotask structuredClone reportError createImageBitmap fetch atob btoa matchMedia getComputedStyle
getMatchedCSSRules addEventListener removeEventListener
dispatchEvent attachEvent detachEvent openDatabase ActiveXObject XDomainRequest opera chrome safari netscape
execScript CollectGarbage msCrypto webkitURL webkitIndexedDB mozIndexedDB
WebKitMutationObserver MozMutationObserver WebKitCSSMatrix MSCSSMatrix webkitAudioContext webkitSpeechRecognition
webkitRTCPeerConnection mozRTCPeerConnection MSStream MSApp Windows WinJS
Node NodeList NodeFilter NodeIterator Element Document DocumentFragment DocumentType DOMImplementation DOMException
DOMParser XMLSerializer Attr Text Comment CDATASection ProcessingInstruction CharacterData
Range StaticRange Selection TreeWalker ShadowRoot Window Location History Navigator Screen Storage Event CustomEvent
UIEvent MouseEvent WheelEvent KeyboardEvent
InputEvent FocusEvent TouchEvent Touch TouchList PointerEvent DragEvent ClipboardEvent CompositionEvent
TransitionEvent AnimationEvent ProgressEvent ErrorEvent MessageEvent
PopStateEvent HashChangeEvent PageTransitionEvent StorageEvent BeforeUnloadEvent PromiseRejectionEvent SubmitEvent
FormDataEvent ToggleEvent EventTarget EventSource
AbortController AbortSignal MutationObserver MutationRecord IntersectionObserver IntersectionObserverEntry
ResizeObserver ResizeObserverEntry PerformanceObserver ReportingObserver
XMLHttpRequest XMLHttpRequestUpload FormData Headers Request Response URL URLSearchParams URLPattern Blob File
FileList FileReader FileReaderSync ReadableStream WritableStream
TransformStream ByteLengthQueuingStrategy CountQueuingStrategy CompressionStream DecompressionStream TextEncoder
TextDecoder TextEncoderStream TextDecoderStream
WebSocket Worker SharedWorker ServiceWorker MessageChannel MessagePort BroadcastChannel Notification Image Audio
Option ImageData ImageBitmap OffscreenCanvas Path2D
CanvasRenderingContext2D CanvasGradient CanvasPattern WebGLRenderingContext WebGL2RenderingContext WebGLTexture
AudioContext OfflineAudioContext MediaRecorder MediaStream MediaSource MediaQueryList
RTCPeerConnection RTCSessionDescription RTCIceCandidate CSS CSSStyleSheet CSSStyleDeclaration CSSRule CSSStyleRule
CSSRuleList StyleSheet StyleSheetList FontFace FontFaceSet
DOMRect DOMRectReadOnly DOMPoint DOMPointReadOnly DOMMatrix DOMMatrixReadOnly DOMQuad DOMTokenList DOMStringMap
NamedNodeMap ClientRect ClientRectList
Animation KeyframeEffect AnimationTimeline DocumentTimeline XPathEvaluator XPathExpression XPathResult XSLTProcessor
SpeechSynthesisUtterance SpeechRecognition
IDBDatabase IDBFactory IDBKeyRange IDBObjectStore IDBRequest IDBTransaction IDBCursor Crypto CryptoKey SubtleCrypto
Gamepad DataTransfer DataTransferItem
ElementInternals CustomElementRegistry CustomStateSet ValidityState RadioNodeList PerformanceEntry PerformanceMark
PerformanceMeasure Performance
TrustedHTML ViewTransition VisualViewport Lock LockManager Plugin PluginArray MimeType MimeTypeArray GeolocationPosition Cache CacheStorage` + " " + interfaces) {
		m[n] = struct{}{}
	}
	return m
})

// interfaces are the names of more of the web platform's interfaces, as browsers of the day have them.
//
//go:embed interfaces.txt
var interfaces string
