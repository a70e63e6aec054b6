page
