package parallel

// Progress is told how many of the files are done. It may be called from several
// goroutines, and may be nil.
type Progress func(done, total int)
