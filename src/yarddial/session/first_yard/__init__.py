"""The conversation "What have you got?": its questions, the answers, and the yard that is built from them."""
