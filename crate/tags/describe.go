package tags

import (
	"merrycrate.example/merry/crate/console"
	"merrycrate.example/merry/crate/memo"
	"merrycrate.example/merry/crate/paths"
	"merrycrate.example/merry/crate/project"
)

// Describe says of the site's pages, by their names, which scripts stand at which places, so that what a browser says
// of a script is compared with what check says of its tag. A page that can't be read has none.
func Describe(p *project.Project) func(page string) []console.Tag {
	scripts := NewScripts(p)
	var known memo.Memo[string, []console.Tag]
	return func(name string) []console.Tag {
		list, _ := known.Get(name, func() ([]console.Tag, error) {
			at := paths.Found(name)
			b, err := p.ReadInSite(at)
			if err != nil {
				return nil, nil
			}
			v, err := Read(p, at, b)
			if err != nil {
				return nil, nil
			}
			return scripts.rehearsed(v), nil
		})
		return list
	}
}

func (s *Scripts) rehearsed(v *Page) []console.Tag {
	var list []console.Tag
	for i := range v.Includes {
		tag := console.Tag{File: v.Targets[i].String()}
		tag.Line, tag.Column = v.Position(v.Includes[i].Start)
		if k := s.OfInclude(v, i); k != nil && k.Report != nil {
			for _, g := range k.Defines {
				tag.Defines = append(tag.Defines, g.Name)
			}
			for _, n := range k.Needs {
				tag.Needs = append(append(tag.Needs, n.Name), n.Or...)
			}
		}
		list = append(list, tag)
	}
	return list
}
