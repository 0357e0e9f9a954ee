"""Answers to Tab: what may be typed next. It loads nothing but what it needs: nobody waits for an answer to Tab."""
