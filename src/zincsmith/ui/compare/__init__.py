"""What stands below the figures of a comparison: curves laid over each other, and what a duty costs."""
