"""The sample study of the apiary: its data, its distributions and its script."""
