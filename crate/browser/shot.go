package browser

import (
	"fmt"
	"image"
)

// MaxHeight is how much of a page is looked at, in pixels from its top.
const MaxHeight = 12000

// A View is how a page is opened.
type View struct {
	Width     int  `json:"width"`                // of the window, in pixels
	Dark      bool `json:"dark,omitempty"`       // prefers-color-scheme: dark was emulated
	NoScripts bool `json:"no_scripts,omitempty"` // scripts were turned off
}

// String is the words for it.
func (v View) String() string {
	text := fmt.Sprint(v.Width)
	if v.Dark {
		text += " dark"
	}
	if v.NoScripts {
		text += " without scripts"
	}
	return text
}

// A Shot is a screenshot with the elements and rules behind it.
type Shot struct {
	View
	Picture []byte // PNG
	State   State
}

// A State holds the rules, elements and fonts that a page's look is made of.
type State struct {
	Rules    []Rule    `json:"rules"` // of all stylesheets that apply
	Elements []Element `json:"elements"`
	Fonts    []string  `json:"fonts"` // that are loaded
	// UnstyledClasses are classes of the page without a rule in any stylesheet. Unmatched are rules that match nothing,
	// by their index.
	UnstyledClasses  []string `json:"lone"`
	Unmatched        []int    `json:"unmatched"`
	UnreadableSheets []string `json:"unread"` // stylesheets that the browser shows to nobody
}

// A Rule is one of a stylesheet, as the browser writes it, whatever its build.
type Rule struct {
	Selector string `json:"selector"`
	Text     string `json:"text"` // its declarations
	File     string `json:"file"` // an address, or a file of the site; "" for the page's own
}

// An Element is an element of a page, with its box in CSS pixels and the indices of the rules that apply to it.
type Element struct {
	Path    string `json:"path"` // such as body > nav#menu > a(2)
	Classes string `json:"classes,omitempty"`
	X       int    `json:"x"`
	Y       int    `json:"y"`
	W       int    `json:"w"`
	H       int    `json:"h"`
	Rules   []int  `json:"rules"`
}

// Box is the rectangle that the element covers, in CSS pixels.
func (e *Element) Box() image.Rectangle { return image.Rect(e.X, e.Y, e.X+e.W, e.Y+e.H) }
