$ushBlock = @(@WORDS@)
$ushAll = @("$env:@VARIABLE@".Split([IO.Path]::PathSeparator) | Where-Object { $_ -ne '' })
$ushRest = @($ushAll | Where-Object { $ushBlock -cnotcontains $_ })
$env:@VARIABLE@ = (@ORDER@) -join [IO.Path]::PathSeparator
