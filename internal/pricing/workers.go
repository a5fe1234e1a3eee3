package pricing

import (
	"fmt"
	"runtime"
	"runtime/debug"
	"sync/atomic"
)

// handOut hands out 0..n-1 to as many goroutines as there are cores, at most so many. begin makes one of them ready and
// gives what does its work.
func handOut(n, most int, begin func(l *lot) (do func(k int))) {
	var next atomic.Int64
	together(min(runtime.GOMAXPROCS(0), most, n), func(int) {
		l := newLot()
		defer l.free()
		do := begin(l)
		for k := int(next.Add(1)) - 1; k < n; k = int(next.Add(1)) - 1 {
			do(k)
		}
	})
}

// InParallel cuts 0..n-1 into pieces and hands them out to as many goroutines as there are cores: some pieces are more
// work than others.
func InParallel(n int, work func(from, to int)) {
	workers := max(1, min(runtime.GOMAXPROCS(0), n/16))
	piece := n
	if workers > 1 {
		piece = max(16, n/(workers*piecesEach))
	}
	var next atomic.Int64
	together(workers, func(int) {
		for {
			from := int(next.Add(int64(piece))) - piece
			if from >= n {
				return
			}
			work(from, min(from+piece, n))
		}
	})
}

// piecesEach is into how many pieces the work of a goroutine is cut.
const piecesEach = 8

// together works in n goroutines and waits for them, with the panics of Begin.
func together(n int, work func(w int)) {
	if n <= 1 {
		work(0)
		return
	}
	begun := make([]*Begun, n)
	for w := range n {
		begun[w] = Begin(func() { work(w) })
	}
	for _, b := range begun {
		<-b.done
	}
	for _, b := range begun {
		b.Wait()
	}
}

// Begun is work that goes on beside whoever began it, and who waits for it.
type Begun struct {
	done   chan struct{}
	failed string // with the stack; set before done is closed
}

// Begin begins work in a goroutine of its own.
func Begin(work func()) *Begun {
	b := &Begun{done: make(chan struct{})}
	go func() {
		defer close(b.done)
		defer func() {
			if r := recover(); r != nil {
				b.failed = fmt.Sprintf("%v\n%s", r, debug.Stack())
			}
		}()
		work()
	}()
	return b
}

// Wait waits until the work has ended. A panic in it is a panic of whoever waits, so that whoever answers for a
// question answers for all that was begun for it.
func (b *Begun) Wait() {
	<-b.done
	if b.failed != "" {
		panic(b.failed)
	}
}
