package main

import "os/exec"

func maxRSS(*exec.Cmd) int64 { return 0 }
