"""The manual: what help, its topics and the manual pages say."""
