package editor

import "encoding/json"

// The messages of the protocol, as far as they are used (Language Server Protocol 3.17). Names are those of the
// standard.

type position struct {
	Line      int `json:"line"`      // from 0
	Character int `json:"character"` // from 0, in the units that were agreed on
}

type textRange struct {
	Start position `json:"start"`
	End   position `json:"end"`
}

type location struct {
	URI   string    `json:"uri"`
	Range textRange `json:"range"`
}

type documentID struct {
	URI     string `json:"uri"`
	Version int    `json:"version,omitempty"`
}

type textPlace struct {
	TextDocument documentID `json:"textDocument"`
	Position     position   `json:"position"`
}

type initializeParams struct {
	ProcessID        *int   `json:"processId"`
	RootURI          string `json:"rootUri"`
	WorkspaceFolders []struct {
		URI string `json:"uri"`
	} `json:"workspaceFolders"`
	Capabilities struct {
		General struct {
			PositionEncodings []string `json:"positionEncodings"`
		} `json:"general"`
		Workspace struct {
			WorkspaceEdit struct {
				DocumentChanges    bool     `json:"documentChanges"`
				ResourceOperations []string `json:"resourceOperations"`
			} `json:"workspaceEdit"`
		} `json:"workspace"`
	} `json:"capabilities"`
	InitializationOptions options `json:"initializationOptions"`
}

// options are what a user sets in the editor.
type options struct {
	Sizes bool `json:"sizes"` // show sizes behind tags
}

type textDocumentItem struct {
	URI        string `json:"uri"`
	LanguageID string `json:"languageId"`
	Version    int    `json:"version"`
	Text       string `json:"text"`
}

type didChangeParams struct {
	TextDocument   documentID `json:"textDocument"`
	ContentChanges []struct {
		Range *textRange `json:"range"`
		Text  string     `json:"text"`
	} `json:"contentChanges"`
}

type diagnostic struct {
	Range           textRange        `json:"range"`
	Severity        int              `json:"severity"`
	Code            string           `json:"code"`
	CodeDescription *codeDescription `json:"codeDescription,omitempty"`
	Source          string           `json:"source"`
	Message         string           `json:"message"`
	Tags            []int            `json:"tags,omitempty"`
}

type codeDescription struct {
	Href string `json:"href"`
}

type publishParams struct {
	URI         string       `json:"uri"`
	Version     int          `json:"version,omitempty"`
	Diagnostics []diagnostic `json:"diagnostics"`
}

type codeActionParams struct {
	TextDocument documentID `json:"textDocument"`
	Range        textRange  `json:"range"`
	Context      struct {
		Only []string `json:"only"`
	} `json:"context"`
}

type codeAction struct {
	Title       string         `json:"title"`
	Kind        string         `json:"kind"`
	Diagnostics []diagnostic   `json:"diagnostics,omitempty"`
	Edit        *workspaceEdit `json:"edit,omitempty"`
	Command     *command       `json:"command,omitempty"`
}

type command struct {
	Title     string `json:"title"`
	Command   string `json:"command"`
	Arguments []any  `json:"arguments,omitempty"`
}

type executeParams struct {
	Command   string            `json:"command"`
	Arguments []json.RawMessage `json:"arguments"`
}

type workspaceEdit struct {
	Changes         map[string][]textEdit `json:"changes,omitempty"`
	DocumentChanges []any                 `json:"documentChanges,omitempty"`
}

type textEdit struct {
	Range   textRange `json:"range"`
	NewText string    `json:"newText"`
}

type documentEdit struct {
	TextDocument struct {
		URI     string `json:"uri"`
		Version *int   `json:"version"` // null for a file that is not open
	} `json:"textDocument"`
	Edits []textEdit `json:"edits"`
}

type renameFile struct {
	Kind   string `json:"kind"`
	OldURI string `json:"oldUri"`
	NewURI string `json:"newUri"`
}

type completionList struct {
	IsIncomplete bool             `json:"isIncomplete"`
	Items        []completionItem `json:"items"`
}

type completionItem struct {
	Label               string          `json:"label"`
	Kind                int             `json:"kind"`
	Detail              string          `json:"detail,omitempty"`
	SortText            string          `json:"sortText,omitempty"`
	FilterText          string          `json:"filterText,omitempty"`
	TextEdit            *textEdit       `json:"textEdit,omitempty"`
	AdditionalTextEdits []textEdit      `json:"additionalTextEdits,omitempty"`
	Data                *completionData `json:"data,omitempty"`
}

// completionData is what an item's missing part is made of, when it was chosen.
type completionData struct {
	URI  string `json:"uri"`
	Take string `json:"take"`
	// Start and End are where the word stood that is taken off, in bytes.
	Start int `json:"start"`
	End   int `json:"end"`
}

type hover struct {
	Contents struct {
		Kind  string `json:"kind"`
		Value string `json:"value"`
	} `json:"contents"`
	Range textRange `json:"range"`
}

type documentSymbol struct {
	Name           string    `json:"name"`
	Detail         string    `json:"detail,omitempty"`
	Kind           int       `json:"kind"`
	Range          textRange `json:"range"`
	SelectionRange textRange `json:"selectionRange"`
}

type inlayHint struct {
	Position    position `json:"position"`
	Label       string   `json:"label"`
	PaddingLeft bool     `json:"paddingLeft"`
}

type messageParams struct {
	Type    int      `json:"type"` // 1 error, 2 warning, 3 info
	Message string   `json:"message"`
	Actions []choice `json:"actions,omitempty"`
}

type choice struct {
	Title string `json:"title"`
}

// capabilities are what the server can do, in the agreed units of positions.
func capabilities(encoding string) map[string]any {
	return map[string]any{
		"positionEncoding": encoding,
		"textDocumentSync": map[string]any{"openClose": true, "change": 2,
			"save": map[string]any{"includeText": false}},
		"completionProvider": map[string]any{"resolveProvider": true,
			"triggerCharacters": []string{"\"", "'", "/", ".", "#", "-", "<", " ", ":"}},
		"hoverProvider":          true,
		"definitionProvider":     true,
		"referencesProvider":     true,
		"documentSymbolProvider": true,
		"renameProvider":         map[string]any{"prepareProvider": true},
		"codeActionProvider":     map[string]any{"codeActionKinds": []string{"quickfix", "refactor", "source"}},
		"inlayHintProvider":      true,
		"executeCommandProvider": map[string]any{"commands": []string{runCommand}},
		"workspace": map[string]any{"workspaceFolders": map[string]any{"supported": true},
			"fileOperations": map[string]any{"willRename": map[string]any{"filters": []any{map[string]any{
				"scheme": "file", "pattern": map[string]any{"glob": "**/*", "matches": "file"}}}}}},
	}
}
