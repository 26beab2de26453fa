"""One subcommand for each capability, each usable from cron, most with `--json`."""
