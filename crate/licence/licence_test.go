package licence

import (
	"strings"
	"testing"

	"github.com/github/go-spdx/v2/spdxexp"
)

func TestSPDX(t *testing.T) {
	for said, want := range map[string]string{
		"MIT": "id MIT", "mit": "id MIT", "The MIT License": "id MIT", "MIT License": "id MIT", "(MIT)": "id MIT",
		"Apache-2.0": "id Apache-2.0", "Apache 2.0": "id Apache-2.0", "Apache License, Version 2.0": "id Apache-2.0",
		"Apache 2": "id Apache-2.0", "BSD-3-Clause": "id BSD-3-Clause", "BSD 3-Clause License": "id BSD-3-Clause",
		"New BSD": "id BSD-3-Clause", "GPL-2.0": "id GPL-2.0-only", "GPL-3.0+": "id GPL-3.0-or-later",
		"GPLv3": "id GPL-3.0-only", "LGPL-2.1": "id LGPL-2.1-only", "AGPL-3.0-or-later": "id AGPL-3.0-or-later",
		"gpl-2.0-only": "id GPL-2.0-only", "CC BY 4.0": "id CC-BY-4.0", "CC0": "id CC0-1.0", "MIT/X11": "id MIT",
		"(MIT OR Apache-2.0)":               "expression MIT OR Apache-2.0",
		"MIT or GPL-2.0":                    "expression MIT OR GPL-2.0-only",
		"MIT AND (CC-BY-4.0 OR OFL-1.1)":    "expression MIT AND (CC-BY-4.0 OR OFL-1.1)",
		"(MIT AND Zlib) OR Apache-2.0":      "expression (MIT AND Zlib) OR Apache-2.0",
		"Apache-2.0 WITH LLVM-exception":    "expression Apache-2.0 WITH LLVM-exception",
		"Apache 2.0 OR the MIT License":     "expression Apache-2.0 OR MIT",
		"GPL-2.0-with-font-exception":       "expression GPL-2.0-only WITH Font-exception-2.0",
		"MIT OR GPL-2.0-with-gcc-exception": "expression MIT OR GPL-2.0-only WITH GCC-exception-2.0",
		"":                                  "", "BSD": "", "SEE LICENSE IN LICENSE.md": "", "UNLICENSED": "",
		"Custom": "", "MIT OR Custom": "",
		"(MIT": "", "MIT OR": "", "OR MIT": "", "MIT Apache-2.0": "", "MIT WITH nothing": "", "the sea's own": "",
		"Apache-2.0 WITH": "",
	} {
		id, expression := SPDX(said)
		got := ""
		switch {
		case id != "":
			got = "id " + id
		case expression != "":
			got = "expression " + expression
		}
		if got != want {
			t.Errorf("%q is %q, want %q", said, got, want)
		}
	}
	for said, instead := range renamed {
		if valid, wrong := spdxexp.ValidateLicenses([]string{instead}); !valid {
			t.Errorf("%s: %v is not valid", said, wrong)
		}
	}
}

// FuzzSPDX: whatever is said, what comes is valid.
func FuzzSPDX(f *testing.F) {
	for _, s := range []string{"MIT", "(MIT OR Apache-2.0)", "GPL-2.0+", "a WITH b", "MIT AND (ISC"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, said string) {
		id, expression := SPDX(said)
		for _, got := range []string{id, expression} {
			if got == "" {
				continue
			}
			if valid, _ := spdxexp.ValidateLicenses([]string{got}); !valid || strings.TrimSpace(got) != got {
				t.Errorf("%q is %q", said, got)
			}
		}
	})
}
