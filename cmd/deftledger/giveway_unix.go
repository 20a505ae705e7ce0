//go:build unix

package main

import "syscall"

// giveWay lets the running application have the processor before this command: a backup
// must not slow down those who work.
func giveWay() { _ = syscall.Setpriority(syscall.PRIO_PROCESS, 0, 19) }
