package cli

import (
	"io"
	"os"
	"sync"
	"time"

	"github.com/charmbracelet/x/ansi"
	"github.com/vbauerster/mpb/v8"
	"github.com/vbauerster/mpb/v8/decor"

	"merrycrate.example/merry/cli/show"
)

// noticed is how long a wait may be before a person wants to know how far it is.
const noticed = 400 * time.Millisecond

// A progress shows how far fetches are, a line each, on a terminal and only once the wait is long enough to notice.
type progress struct {
	out   io.Writer
	begun time.Time
	first func() // is called before the first line

	mu   sync.Mutex
	all  *mpb.Progress
	bars map[string]*mpb.Bar
}

// progress returns what fetches tell how far they are, nil if nobody would see it.
func (a *app) progress() func(name string, done, total int64) {
	if !isTerminal(os.Stderr) || a.json || a.quiet {
		return nil
	}
	a.bars = &progress{out: os.Stderr, first: a.waits.end, begun: time.Now(), bars: map[string]*mpb.Bar{}}
	return a.bars.tell
}

// tell says that of a fetch so many bytes have come; total is -1 where the server does not say how many there are.
func (p *progress) tell(name string, done, total int64) {
	p.mu.Lock()
	defer p.mu.Unlock()
	bar := p.bars[name]
	if bar == nil {
		if time.Since(p.begun) < noticed || done == total {
			return
		}
		if p.all == nil {
			p.first()
			p.all = mpb.New(mpb.WithOutput(p.out), mpb.WithWidth(20), mpb.WithRefreshRate(120*time.Millisecond))
		}
		bar = p.all.New(max(total, 0), mpb.BarStyle().Lbound("").Rbound("").Filler("█").Tip("█").Padding("░"),
			mpb.BarRemoveOnComplete(),
			mpb.PrependDecorators(decor.Name("fetching "+ansi.Truncate(show.Text(name), 40, "…")+" ")),
			mpb.AppendDecorators(decor.Any(func(s decor.Statistics) string {
				if s.Total > 0 {
					return " " + show.Bytes(s.Current) + " of " + show.Bytes(s.Total)
				}
				return " " + show.Bytes(s.Current)
			})))
		p.bars[name] = bar
	}
	bar.SetCurrent(done)
	if done == total {
		bar.SetTotal(total, true)
		delete(p.bars, name)
	}
}

// End takes the lines off the terminal.
func (p *progress) end() {
	if p == nil {
		return
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	for _, bar := range p.bars {
		bar.Abort(true)
	}
	if p.all != nil {
		p.all.Wait()
	}
}
